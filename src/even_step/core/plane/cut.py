"""Regions cut into triangles and wedges, what of lines lies in regions, and regions put together of lines or apart."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.plane import region, valid
from even_step.core.plane.ragged import Index, Points, starts_of
from even_step.core.plane.region import Regions

REACH = 0.002  # mm, by which cells are widened for edges that lie on theirs to be within


def triangles(parts: Regions) -> tuple[NDArray[np.float64], Index]:
    """Cut single polygons into triangles.

    Returns
    -------
    corners : (T, 3, 2) float64
        mm.
    owner : (T,) int64
        Which polygon each came from, not falling.
    """
    try:
        cut = shapely.constrained_delaunay_triangles(parts)
    except shapely.errors.GEOSException:
        cut = np.array([_triangles(one) for one in parts], object)
    each, owner = shapely.get_parts(cut, return_index=True)
    return shapely.get_coordinates(each).reshape(-1, 4, 2)[:, :3], owner


def _triangles(part: shapely.Geometry) -> shapely.Geometry:
    """Cut one polygon; one that is too thin for the library's arithmetic leaves none."""
    try:
        return shapely.constrained_delaunay_triangles(part)
    except shapely.errors.GEOSException:
        return region.EMPTY


def boxes_overlap(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which boxes meet, (n, 4) each, or one (4,) and each of the others; one of nothing meets none."""
    return np.asarray((a[..., :2] <= b[..., 2:]).all(axis=-1) & (b[..., :2] <= a[..., 2:]).all(axis=-1))


def wedges(part: shapely.Polygon, count: int) -> Regions:
    """Return wedges of equal angles that meet in the middle of a polygon's largest hole and reach past it, (count,).

    None for a polygon without a hole.
    """
    holes = shapely.polygons(shapely.get_rings(part)[1:])
    if len(holes) == 0:
        return region.nothing(0)
    middle = shapely.get_coordinates(shapely.centroid(holes[np.argmax(shapely.area(holes))]))[0]
    x0, y0, x1, y1 = shapely.bounds(part)
    reach = 2.0 * np.hypot(x1 - x0, y1 - y0)
    turn = 2 * np.pi * np.arange(count + 1) / count
    rim = middle + reach * np.stack((np.cos(turn), np.sin(turn)), axis=1)
    corners = np.stack((np.broadcast_to(middle, (count, 2)), rim[:-1], rim[1:]), axis=1)
    return np.asarray(shapely.polygons(corners), object)


def alike(a: Regions, b: Regions) -> NDArray[np.bool_]:
    """Tell pair by pair whether two regions are the same, point by point."""
    return np.asarray(shapely.equals_exact(a, b, 0.0))


def union_of_some_apart(regions: Regions) -> shapely.MultiPolygon:
    """Return the union of some regions of which many lie apart: those whose boxes meet no other one's are only added.

    Of 200 discs apart this takes a hundredth of what the union of all does.
    """
    number, other = shapely.STRtree(regions).query(regions)
    alone = np.bincount(number, other != number, len(regions)) == 0
    parts = region.pieces(np.append(regions[alone], region.union_all(regions[~alone])))[0]
    return region.gathered(parts, np.zeros(len(parts), np.int64), 1)[0]


def stroked(xy: Points, start: Index, width: NDArray[np.float64]) -> shapely.MultiPolygon:
    """Return what lines cover, each drawn with its width in mm and with round ends."""
    if len(start) < 2:
        return region.nothing(1)[0]
    lines = shapely.linestrings(xy, indices=np.repeat(np.arange(len(start) - 1), np.diff(start)))
    return region.union_all(shapely.buffer(lines, width / 2, quad_segs=4))


def reached(parts: Regions, owner: Index, xy: Points, start: Index, item: Index) -> NDArray[np.bool_]:
    """Tell which parts of some regions a line of the same region touches; ``item`` is the region of each line."""
    lines = np.asarray(shapely.linestrings(xy, indices=np.repeat(np.arange(len(item)), np.diff(start))), object)
    line, part = shapely.STRtree(parts).query(lines)
    same = np.flatnonzero(item[line] == owner[part])
    out = np.zeros(len(parts), np.bool_)
    out[part[same[shapely.intersects(parts[part[same]], lines[line[same]])]]] = True
    return out


def _common(lines: Regions, regions: Regions | shapely.Geometry) -> Regions:
    """Return what of lines lies in regions; where the library fails at edges that nearly coincide, on the grid."""
    try:
        return np.asarray(shapely.intersection(lines, regions), object)
    except valid.LibraryError:
        return np.asarray(shapely.intersection(lines, regions, grid_size=valid.GRID), object)


def bands_along(outlines: Regions, cells: Regions, deep: float) -> Regions:
    """Return what of outlines belongs to the stretches of their edges that lie in cells, (n,).

    That is what lies within ``deep`` mm of a stretch, and across it where the outline is so narrow that what lies along
    its other side reaches as far; it ends square to the edge.
    """
    edges = shapely.boundary(outlines)
    stretch = shapely.line_merge(_common(edges, shapely.buffer(cells, REACH, quad_segs=1)))
    wide = region.offset_round(region.offset(outlines, -deep), deep)
    bands = (shapely.buffer(stretch, by, cap_style="flat", quad_segs=8) for by in (deep, 2 * deep))
    near, across = (region.intersection(valid.cleaned(band), outlines) for band in bands)
    return region.union(near, region.difference(across, wide))


def lines_within(drawn: list[list[Points]], regions: Regions, shortest: float) -> tuple[Points, Index, Index]:
    """Cut lines to regions, list by list.

    Returns
    -------
    xy, start
        Points of the pieces no shorter than ``shortest`` mm, on the grid, and where each piece begins.
    cell : (n + 1,) int64
        Where each region's pieces begin.
    """
    many = np.array([shapely.MultiLineString(lines) for lines in drawn], object)
    pieces_, owner = shapely.get_parts(shapely.intersection(many, regions), return_index=True)
    long = (shapely.get_type_id(pieces_) == 1) & (shapely.length(pieces_) >= shortest)
    xy, of = shapely.get_coordinates(pieces_[long], return_index=True)
    return (
        np.asarray(np.round(xy, valid.DECIMALS) + 0.0, np.float64),
        starts_of(np.bincount(of, minlength=int(long.sum()))),
        starts_of(np.bincount(owner[long], minlength=len(regions))),
    )


def lines_outside(lines: list[Points], taken: shapely.Geometry, shortest: float) -> list[Points]:
    """Return what of some lines lies outside a region, in pieces no shorter than ``shortest`` mm, on the grid.

    A closed line that nothing is cut from stays as it is.
    """
    out = []
    for line in lines:
        drawn = shapely.linestrings(line)
        if not shapely.intersects(drawn, taken):
            out.append(line)
            continue
        left = shapely.line_merge(shapely.difference(drawn, taken))
        pieces = shapely.get_parts(left)
        pieces = pieces[(shapely.get_type_id(pieces) == 1) & (shapely.length(pieces) >= shortest)]
        out += [np.round(shapely.get_coordinates(piece), valid.DECIMALS) + 0.0 for piece in pieces]
    return out


def holder_of(points: Points, pieces: Regions) -> Index:
    """Return for each point the piece it lies in, or is nearest to, (n,)."""
    return np.asarray(shapely.STRtree(pieces).nearest(shapely.points(points)), np.int64)
