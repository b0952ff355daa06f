"""The widest place of a region that no line reaches."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.plane.valid import Geometry, LibraryError

FINE = 0.02  # mm, how exactly the widest circle is found


class FreeCircle(NamedTuple):
    """The largest circle that lies within a region and touches no line: its diameter and its middle, mm."""

    width: float
    at: tuple[float, float]


def free_circle(region: Geometry, lines: NDArray[np.float64], wide: float, least: float) -> FreeCircle | None:
    """Return the widest place of a region that lines leave free.

    None where no circle wider than the least has room, or the polygon library fails.

    Parameters
    ----------
    region
        mm.
    lines : (n, 2, 2) float64
        Ends of straight pieces, mm.
    wide
        Of the lines, mm.
    least
        Of the circle's diameter, mm.
    """
    try:
        return _widest(region, lines, wide, least)
    except LibraryError:
        return None  # what is measured is looked at, not laid: it is no reason to fail


def _widest(region: Geometry, lines: NDArray[np.float64], wide: float, least: float) -> FreeCircle | None:
    inner = shapely.buffer(region, -least / 2)
    if shapely.is_empty(inner):
        return None
    near = lines[_reach(lines, shapely.bounds(region), wide)]
    laid = shapely.union_all(shapely.buffer(shapely.linestrings(near), wide / 2)) if len(near) else shapely.Polygon()
    free = shapely.difference(region, laid)
    room = shapely.get_parts(free)
    x0, y0, x1, y1 = shapely.bounds(room).T
    room = room[np.minimum(x1 - x0, y1 - y0) > least]
    room = room[~shapely.is_empty(shapely.buffer(room, -least / 2))]
    if len(room) == 0:
        return None
    radii = shapely.maximum_inscribed_circle(room, FINE)
    widest = radii[int(np.argmax(shapely.length(radii)))]
    x, y = shapely.get_coordinates(widest)[0].tolist()
    return FreeCircle(2 * float(shapely.length(widest)), (x, y))


def _reach(lines: NDArray[np.float64], box: NDArray[np.float64], wide: float) -> NDArray[np.bool_]:
    """Tell which pieces may reach into a box."""
    low, high = lines.min(axis=1) - wide, lines.max(axis=1) + wide
    return np.asarray((low <= box[2:]).all(axis=1) & (high >= box[:2]).all(axis=1))
