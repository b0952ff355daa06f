"""Regions put on the grid of 1 µm and kept valid, and the polygon library's operations made never to fail for less."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.errors import GEOSException

from even_step.core.errors import GeometryError
from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, Points

GRID, DECIMALS = 0.001, 3  # mm
MENDING_TRIES = 2
SLIVER = 1e-4  # mm², pieces smaller than this come from rounding
LibraryError = GEOSException  # what the polygon library raises, for those who may not call it
COLLECTION = 7  # the library's number for a mixed bag of shapes

Geometry: TypeAlias = shapely.Geometry
Regions: TypeAlias = NDArray[np.object_]
EMPTY = shapely.MultiPolygon()


class Checks:
    """What only tests and fuzzers look at, for it costs time."""

    on = False


def multi(shape: shapely.Geometry) -> shapely.MultiPolygon:
    """Keep the polygons of any geometry as one multi-polygon."""
    parts = [part for part in shapely.get_parts(shape) if part.geom_type == "Polygon"]
    return shapely.MultiPolygon(parts) if parts else EMPTY


def _snapped(shapes: Regions) -> Regions:
    """Round coordinates to the grid.

    Not by the polygon library's own means: what it makes with a precision of its own shares a counter that
    is changed without a lock, and threads that read such shapes together crash. These copies have none.
    """
    return np.asarray(shapely.transform(shapes, lambda xy: np.round(xy, DECIMALS) + 0.0), object)


def cleaned(shapes: Regions) -> Regions:
    """Snap to the grid, drop what is no polygon or a sliver of rounding, mend the few that broke.

    Raises
    ------
    GeometryError
        When a shape cannot be made valid by any means.
    """
    found = shapes
    shapes = _snapped(shapes)
    for _ in range(MENDING_TRIES):
        broken = ~shapely.is_valid(shapes)
        if not broken.any():
            break
        shapes[broken] = _mended(shapes[broken], found[broken])
    else:
        for i in np.flatnonzero(~shapely.is_valid(shapes)):
            shapes[i] = rebuilt(found[i])
    mixed = shapely.get_type_id(shapes) == COLLECTION
    if mixed.any():
        shapes[mixed] = [multi(shape) for shape in shapes[mixed]]
    shapes[shapely.area(shapes) < SLIVER] = EMPTY
    if Checks.on:
        assert shapely.is_valid(shapes).all(), "a region left that is not valid"  # noqa: S101 - the fuzzers look for it
    return shapes


def _mended(broken: Regions, found: Regions) -> Regions:
    """Make shapes valid; where the library fails at one, from what it was before it was put on the grid."""
    try:
        return _snapped(shapely.make_valid(broken, method="structure", keep_collapsed=False))
    except GEOSException:
        if len(broken) == 1:
            return np.array([rebuilt(found[0])], object)
    return np.concatenate([_mended(broken[i : i + 1], found[i : i + 1]) for i in range(len(broken))])


def rebuilt(shape: shapely.Geometry) -> shapely.MultiPolygon:
    """Return a broken shape valid and on the grid.

    By snap rounding (Hobby, "Practical segment intersection with finite precision output", 1999) of the shape as it
    was found; where the library refuses that, from the faces that all its rings make once they are cut at each other.

    Raises
    ------
    GeometryError
        When that does not make it valid either.
    """
    for way in (_rounded, _from_faces):
        try:
            # A copy of the numbers alone: see ``_snapped``.
            made = shapely.transform(multi(way(shape)), np.array)
        except GEOSException:
            continue
        if shapely.is_valid(made):
            return made
    raise GeometryError("an outline could not be made valid")


def _rounded(shape: shapely.Geometry) -> shapely.Geometry:
    return shapely.set_precision(shape, GRID)


def _from_faces(shape: shapely.Geometry) -> shapely.Geometry:
    """Keep the faces that the rings of a shape wind about an odd number of times."""
    closed = shapely.get_rings(shapely.get_parts(shape))
    xy, owner = shapely.get_coordinates(closed, return_index=True)
    start = np.searchsorted(owner, np.arange(len(closed) + 1)).astype(np.int64)
    return _faces(closed, lambda inside: _winding(inside, xy, start) % 2 == 1)


def wound(xy: Points, start: Index) -> shapely.MultiPolygon:
    """Return what rings wind round to the left: cut all at their crossings, keep the faces wound about."""
    ring = np.repeat(np.arange(len(start) - 1), np.diff(start))
    closed = shapely.linearrings(xy, indices=ring)
    single = np.empty(1, object)
    single[0] = _faces(closed, lambda inside: _winding(inside, xy, start) > 0)
    return cleaned(single)[0]


def _faces(closed: Regions, kept: Callable[[Points], NDArray[np.bool_]]) -> shapely.MultiPolygon:
    """Cut rings at their crossings and unite the faces between them that are kept by a point inside."""
    xy, line = shapely.get_coordinates(closed, return_index=True)
    lines = shapely.union_all(shapely.linestrings(xy, indices=line), grid_size=GRID)
    faces = shapely.get_parts(shapely.polygonize([lines]))
    if len(faces) == 0:
        return EMPTY
    inside = shapely.get_coordinates(shapely.point_on_surface(faces))
    chosen = faces[kept(inside)]
    # Faces of one net only touch, which is forty times quicker to unite than what may overlap.
    return multi(shapely.coverage_union_all(chosen)) if len(chosen) else EMPTY


@kernel
def _winding(points, xy, start):  # type: ignore[no-untyped-def]
    """Count for each point how often rings wind round it, leftward positive."""
    out = np.zeros(points.shape[0], np.int64)
    for k in range(points.shape[0]):
        x, y = points[k, 0], points[k, 1]
        for r in range(start.shape[0] - 1):
            j = start[r + 1] - 1
            for i in range(start[r], start[r + 1]):
                x0, y0, x1, y1 = xy[j, 0], xy[j, 1], xy[i, 0], xy[i, 1]
                if (y0 <= y) != (y1 <= y):
                    side = (x1 - x0) * (y - y0) - (x - x0) * (y1 - y0)
                    if y1 > y0 and side > 0.0:
                        out[k] += 1
                    elif y1 < y0 and side < 0.0:
                        out[k] -= 1
                j = i
    return out


def paired(operation: Callable[..., Any], a: Regions, b: Regions) -> Regions:
    """Apply a set operation pair by pair.

    Raises
    ------
    GeometryError
        When the library fails at a pair by all means.
    """
    try:
        return cleaned(operation(a, b))
    except GEOSException:
        return cleaned(np.array([_with_care(operation, x, y) for x, y in zip(a, b, strict=True)], object))


def _with_care(operation: Callable[..., Any], a: shapely.Geometry, b: shapely.Geometry) -> shapely.Geometry:
    """Apply an operation to one pair: as it is, then between shapes made valid, then on the grid."""
    try:
        return operation(a, b)
    except GEOSException:
        one, other = rebuilt(a), rebuilt(b)
    for more in ({}, {"grid_size": GRID}):
        try:
            return shapely.transform(operation(one, other, **more), np.array)
        except GEOSException:
            continue
    raise GeometryError("two outlines could not be combined")


def told(predicate: Callable[..., Any], a: Regions, b: Regions) -> NDArray[np.bool_]:
    """Ask something of each pair; one that the library fails at is made valid first."""
    try:
        return np.asarray(predicate(a, b))
    except GEOSException:
        return np.array([_told(predicate, x, y) for x, y in zip(a, b, strict=True)], bool)


def _told(predicate: Callable[..., Any], a: shapely.Geometry, b: shapely.Geometry) -> bool:
    try:
        return bool(predicate(a, b))
    except GEOSException:
        return bool(predicate(rebuilt(a), rebuilt(b)))


def moved(regions: Regions, distance: float | NDArray[np.float64], **how: Any) -> Regions:
    """Move outlines out or in, as the library does it; one that it fails at is made valid first."""
    with np.errstate(divide="ignore", invalid="ignore"):  # at some corners the library divides by zero, and does right
        try:
            return np.asarray(shapely.buffer(regions, distance, **how), object)
        except GEOSException:
            each = np.broadcast_to(distance, len(regions))
            return np.array([shapely.buffer(rebuilt(x), d, **how) for x, d in zip(regions, each, strict=True)], object)
