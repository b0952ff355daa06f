"""Regions of the plane: arrays of them, one entry a layer; all lie on a grid of 1 µm and are valid.

Only this module, ``valid`` and ``cut`` call the polygon library.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import valid
from even_step.core.plane.ragged import Index, Points, Rings, starts_of
from even_step.core.plane.trace import ring_area
from even_step.core.plane.valid import multi

MITRE_LIMIT = 2.0
MANY_PARTS = 8

Geometry: TypeAlias = valid.Geometry
Regions: TypeAlias = valid.Regions
EMPTY = valid.EMPTY


def nothing(count: int) -> Regions:
    """Return ``count`` empty regions."""
    out = np.empty(count, object)
    out[:] = [EMPTY] * count
    return out


def from_rings(xy: Points, start: Index, polygon: Index, item: Index, count: int) -> Regions:
    """Build regions of nested rings.

    Parameters
    ----------
    xy : (N, 2) float64
        Points of all rings, mm; a ring runs counter-clockwise about material, clockwise about a hole.
    start : (R + 1,) int64
        Where each ring begins.
    polygon : (R,) int64
        Which polygon a ring belongs to, not falling; its first ring is the shell.
    item : (P,) int64
        Which region a polygon belongs to, not falling, within ``0..count``.
    count : int
        How many regions.

    Returns
    -------
    (count,) regions
        Where rings cross or overlap, the region is what they wind round more often to the left than to
        the right (non-zero winding of consistent shells).
    """
    out = nothing(count)
    if len(item) == 0:
        return out
    ring = np.repeat(np.arange(len(start) - 1), np.diff(start))
    polygons = shapely.polygons(shapely.linearrings(xy, indices=ring), indices=polygon)
    shapely.multipolygons(polygons, indices=item, out=out)
    owner = item[polygon]
    for broken in np.flatnonzero(~shapely.is_valid(out)):
        a, b = np.searchsorted(owner, (broken, broken + 1))
        out[broken] = valid.wound(xy[start[a] : start[b]], start[a : b + 1] - start[a])
    return out


def _one(shape: shapely.Geometry) -> shapely.MultiPolygon:
    """Return one shape as a clean multi-polygon."""
    single = np.empty(1, object)
    single[0] = multi(shape)
    return valid.cleaned(single)[0]


def offset(regions: Regions, distance: float | NDArray[np.float64]) -> Regions:
    """Move outlines out (more) or in (less) by a distance in mm; corners stay sharp up to twice it."""
    many = (shapely.get_num_geometries(regions) > MANY_PARTS) & (np.asarray(distance) < 0)
    if not many.any():
        return _moved(regions, distance)
    out, each = nothing(len(regions)), np.broadcast_to(distance, len(regions))
    out[~many] = _moved(regions[~many], each[~many])
    # What is moved in cannot meet its neighbours, and the library takes many parts at once slowly.
    single, owner = shapely.get_parts(regions[many], return_index=True)
    left, of = shapely.get_parts(_moved(single, each[many][owner]), return_index=True)
    out[many] = gathered(left, owner[of], int(many.sum()))
    return out


def _moved(regions: Regions, distance: float | NDArray[np.float64]) -> Regions:
    return valid.cleaned(_grown(regions, distance))


def offset_round(regions: Regions, distance: float | NDArray[np.float64]) -> Regions:
    """Move outlines out or in by a distance in mm; outer corners become arcs."""
    return valid.cleaned(valid.moved(regions, distance, quad_segs=16))


def offset_rough(regions: Regions, distance: float) -> Regions:
    """Move outlines out by a distance in mm or up to a fiftieth more; outer corners become arcs of few points."""
    sides = 4  # of a quarter
    return valid.cleaned(valid.moved(regions, distance / np.cos(np.pi / (4 * sides)), quad_segs=sides))


def intersection(a: Regions, b: Regions) -> Regions:
    """Return what both hold. Where both are the same object it is taken as it is."""
    same = np.fromiter((x is y for x, y in zip(a, b, strict=True)), bool, len(a))
    out = a.copy()
    todo = ~same
    if todo.any():
        out[todo] = valid.paired(shapely.intersection, a[todo], b[todo])
    return out


def difference(a: Regions, b: Regions) -> Regions:
    """Return what the first holds and the second does not."""
    out = a.copy()
    todo = ~(shapely.is_empty(a) | shapely.is_empty(b))
    if todo.any():
        out[todo] = valid.paired(shapely.difference, a[todo], b[todo])
    return out


def without_all(a: Regions, taken: Sequence[Sequence[int]], others: Regions) -> Regions:
    """Return what each region holds and none of some others does.

    Parameters
    ----------
    a : (n,) regions
        mm.
    taken : n of int
        Which of the others are taken from each.
    """
    out = a.copy()
    for place in range(max((len(some) for some in taken), default=0)):
        todo = [i for i, some in enumerate(taken) if len(some) > place]
        out[todo] = difference(out[todo], others[[taken[i][place] for i in todo]])
    return out


def beyond(a: Regions, b: Regions, distance: float) -> Regions:
    """Return what of the first does not lie in the second moved out by a distance in mm."""
    return difference(a, _grown(b, distance))


def _grown(regions: Regions, distance: float | NDArray[np.float64]) -> Regions:
    """Move outlines, for something to be cut with at once: only what that leaves is put on the grid."""
    return valid.moved(regions, distance, join_style="mitre", mitre_limit=MITRE_LIMIT)


def union(a: Regions, b: Regions) -> Regions:
    """Return what either holds."""
    out = np.where(shapely.is_empty(a), b, a)
    todo = ~(shapely.is_empty(a) | shapely.is_empty(b))
    if todo.any():
        out[todo] = valid.paired(shapely.union, a[todo], b[todo])
    return out


def union_all(regions: Sequence[shapely.Geometry] | Regions) -> shapely.MultiPolygon:
    """Return the union of some regions as one."""
    return _one(shapely.union_all(np.asarray(regions, object), grid_size=valid.GRID)) if len(regions) else EMPTY


def shifted(region: shapely.Geometry, dx: float, dy: float) -> shapely.Geometry:
    """Return a region moved by (dx, dy) mm."""
    return shapely.transform(region, lambda xy: xy + np.array([dx, dy]))


def mapped(region: shapely.Geometry, matrix: NDArray[np.float64]) -> shapely.Geometry:
    """Return a region turned or stretched by a (2, 2) matrix."""
    return shapely.transform(region, lambda xy: xy @ matrix.T)


def hull_corners(points: Points) -> Points:
    """Return the corners of the convex hull of some points, (n, 2); all of them where they lie on a line."""
    hull = shapely.get_coordinates(shapely.convex_hull(shapely.multipoints(points)))
    return hull if len(hull) else points


def hulls(many: Sequence[Points]) -> Regions:
    """Return the convex hull of each set of points, (n,)."""
    return np.array([_one(shapely.convex_hull(shapely.multipoints(points))) for points in many], object)


def of_cells(covered: NDArray[np.bool_], origin: NDArray[np.float64], cell: float) -> shapely.Geometry:
    """Return the region that covered cells (rows along y, columns along x) make, the first one at the origin."""
    padded = np.pad(covered, ((0, 0), (1, 1))).astype(np.int8)
    turns = np.diff(padded, axis=1)
    row, first = np.nonzero(turns == 1)
    _, end = np.nonzero(turns == -1)
    whole = shapely.union_all(shapely.box(first, row, end, row + 1))  # in cells, so that rows meet exactly
    return multi(shapely.transform(whole, lambda xy: xy * cell + origin))


def smoothed(region: shapely.Geometry, by: float) -> shapely.Geometry:
    """Return a region with fewer corners that holds this one and is larger by at most twice ``by``, mm."""
    return _one(shapely.buffer(shapely.simplify(region, by), by, join_style="mitre", mitre_limit=MITRE_LIMIT))


def of_triangles(corners: NDArray[np.float64]) -> Regions:
    """Return triangles, (n, 3, 2), as regions that are not put on the grid."""
    return np.asarray(shapely.polygons(corners), object)


def area(regions: Regions) -> NDArray[np.float64]:
    """Return areas, mm²."""
    return np.asarray(shapely.area(regions))


def perimeter(regions: Regions) -> NDArray[np.float64]:
    """Return the length of all rings, mm."""
    return np.asarray(shapely.length(regions))


def mean_width(regions: Regions) -> NDArray[np.float64]:
    """Return how wide bands are on average, mm: their area over half of their outline."""
    return np.asarray(2 * shapely.area(regions) / np.maximum(shapely.length(regions), 1e-9))


def is_empty(regions: Regions) -> NDArray[np.bool_]:
    """Tell which regions hold nothing."""
    return np.asarray(shapely.is_empty(regions))


def size_in_points(regions: Regions) -> NDArray[np.int64]:
    """Return how many points each region has."""
    return np.asarray(shapely.get_num_coordinates(regions), np.int64)


def rings(regions: Regions) -> Rings:
    """Return all rings of some regions; shells run counter-clockwise, holes clockwise."""
    polygons, of_polygon = shapely.get_parts(regions, return_index=True)
    size = np.asarray(shapely.get_num_coordinates(polygons), np.int64)
    many = np.asarray(shapely.get_num_interior_rings(polygons), np.int64) + (size > 0)
    out, start, of_ring, fits = _parted(shapely.get_coordinates(regions), size, many)
    if not fits:
        out, start, of_ring = _one_by_one(polygons)
    _orient(out, start, of_ring)
    return Rings(out, start, of_polygon[of_ring], of_ring)


def _one_by_one(polygons: Regions) -> tuple[Points, Index, Index]:
    """Take rings out of their polygons: four times as slow, but not misled by one that passes its first point again."""
    closed, of_ring = shapely.get_rings(polygons, return_index=True)
    count = np.asarray(shapely.get_num_coordinates(closed), np.int64)
    xy = shapely.get_coordinates(closed)
    keep = np.ones(len(xy), bool)
    keep[np.cumsum(count) - 1] = False
    return xy[keep], starts_of(count - 1), of_ring


@kernel
def _parted(xy, size, many):  # type: ignore[no-untyped-def]
    """Part the points of polygons where rings return to their first point, which is left out.

    ``size`` and ``many`` say how many points and rings each polygon has. Returns points, where rings begin, the polygon
    of each, and whether that came to as many rings.
    """
    rings = many.sum()
    out, start, polygon = np.empty((xy.shape[0], 2)), np.zeros(rings + 1, np.int64), np.empty(rings, np.int64)
    n, w, i = 0, 0, 0
    for p in range(size.shape[0]):
        end, before = i + size[p], n
        while i < end and n < rings:
            first = i
            while i < end and xy[i, 0] == xy[first, 0] and xy[i, 1] == xy[first, 1]:  # on the grid some are one
                out[w] = xy[i]
                w += 1
                i += 1
            while i < end and (xy[i, 0] != xy[first, 0] or xy[i, 1] != xy[first, 1]):
                out[w] = xy[i]
                w += 1
                i += 1
            i += 1
            polygon[n] = p
            n += 1
            start[n] = w
        if i != end or n - before != many[p]:
            return out, start, polygon, False
    return out[:w].copy(), start, polygon, True


@kernel
def _orient(xy, start, polygon):  # type: ignore[no-untyped-def]
    """Turn rings in place so that material lies to their left; the first of a polygon is its shell."""
    for r in range(polygon.shape[0]):
        a, b = start[r], start[r + 1]
        shell = r == 0 or polygon[r] != polygon[r - 1]
        if (ring_area(xy, a, b) > 0.0) != shell:
            # The first point stays the first.
            i, j = a + 1, b - 1
            while i < j:
                xy[i, 0], xy[j, 0] = xy[j, 0], xy[i, 0]
                xy[i, 1], xy[j, 1] = xy[j, 1], xy[i, 1]
                i += 1
                j -= 1
    return 0


def pieces(regions: Regions) -> tuple[Regions, Index]:
    """Return single polygons and which region each came from."""
    parts, owner = shapely.get_parts(regions, return_index=True)
    return parts, owner


def gathered(parts: Regions, owner: Index, count: int) -> Regions:
    """Put single polygons together again, ``owner`` not falling."""
    out = nothing(count)
    if len(parts):
        shapely.multipolygons(parts, indices=owner, out=out)
    return out


def covers(a: Regions, b: Regions) -> NDArray[np.bool_]:
    """Tell pair by pair whether the first holds all of the second; nothing is held by everything."""
    return valid.told(shapely.covers, a, b) | is_empty(b)


def touches(a: Regions, b: Regions) -> NDArray[np.bool_]:
    """Tell pair by pair whether two regions have a point in common."""
    return valid.told(shapely.intersects, a, b)


def edges_touch(a: Regions, b: Regions) -> NDArray[np.bool_]:
    """Tell which pairs are so that an edge of the first meets the second."""
    return valid.told(shapely.intersects, shapely.boundary(a), b)


def holds(regions: Regions, points: Points) -> NDArray[np.bool_]:
    """Tell of each region whether it holds a point of its own, (n, 2)."""
    return np.asarray(shapely.contains_xy(regions, points[:, 0], points[:, 1]))


def inside(shape: Geometry, points: Points) -> NDArray[np.bool_]:
    """Tell which points (n, 2) one region holds."""
    own = shapely.transform(shape, np.array)  # other threads may read that which was given
    shapely.prepare(own)
    return np.asarray(shapely.contains_xy(own, points[:, 0], points[:, 1]))


def centres(regions: Regions) -> Points:
    """Return a point inside each region, (n, 2), mm; NaN for an empty one."""
    points = shapely.point_on_surface(regions)
    points[shapely.is_empty(points)] = None  # the library raises for a point without a place
    return np.stack([shapely.get_x(points), shapely.get_y(points)], axis=1)


def bounds(regions: Regions) -> NDArray[np.float64]:
    """Return least x, least y, largest x, largest y of each, (n, 4), mm; NaN for an empty one."""
    return np.asarray(shapely.bounds(regions))


def thickness(regions: Regions) -> NDArray[np.float64]:
    """Return how thick each region is at its thickest, mm: twice its largest inscribed circle's radius."""
    return np.asarray(2 * shapely.length(shapely.maximum_inscribed_circle(regions, tolerance=0.01)))


def without_holes(regions: Regions) -> Regions:
    """Return regions with their holes filled (and the parts united)."""
    parts, owner = shapely.get_parts(regions, return_index=True)
    filled = shapely.polygons(shapely.get_exterior_ring(parts)) if len(parts) else parts
    return np.array([union_all(filled[owner == i]) for i in range(len(regions))], object)


def holes(regions: Regions) -> Regions:
    """Return the holes of all regions as polygons, in the order of ``without``."""
    closed, of = shapely.get_rings(shapely.get_parts(regions), return_index=True)
    return np.asarray(shapely.polygons(closed[~_first_of(of)]), object)


def without(regions: Regions, gone: NDArray[np.bool_]) -> Regions:
    """Fill some holes: ``gone`` tells for each of all which."""
    polygons, owner = shapely.get_parts(regions, return_index=True)
    closed, of = shapely.get_rings(polygons, return_index=True)
    keep = _first_of(of)
    keep[~keep] = ~gone
    return gathered(shapely.polygons(closed[keep], indices=of[keep]), owner, len(regions))


def _first_of(owner: Index) -> NDArray[np.bool_]:
    """Tell which entries are the first with their owner."""
    return np.asarray(np.diff(owner, prepend=-1) != 0)


def simplified(regions: Regions, tolerance: float) -> Regions:
    """Return regions with as few corners as stay within a tolerance in mm (Douglas and Peucker 1973)."""
    return valid.cleaned(np.asarray(shapely.simplify(regions, tolerance), object))


def rectangle(x0: float, y0: float, x1: float, y1: float) -> shapely.MultiPolygon:
    """Return a rectangle."""
    return multi(shapely.box(x0, y0, x1, y1))


def disc(x: float, y: float, radius: float) -> shapely.MultiPolygon:
    """Return a circle of 256 sides."""
    return multi(shapely.buffer(shapely.Point(x, y), radius, quad_segs=64))
