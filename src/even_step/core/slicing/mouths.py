"""Openings that let a disc from outside into more room: how wide they are, and where."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.region import Regions

WIDEST = 3.0  # times as wide as the disc an opening may be, to be taken for one
STEP = 1.15  # by which widths are tried
FINE = 0.05  # mm
SIMPLER = 0.03  # mm that outlines may be off
MOST, TRIED = 24, 3  # outlines that are looked at: those with the largest dents, and of these with the most room
ROOM = 0.5  # squares of the disc's width: less room behind is a dent


class Mouth(NamedTuple):
    """How wide an opening is, mm, which outline has it, and its middle, mm."""

    width: float
    outline: int
    at: tuple[float, float]


def widest_mouth(outlines: Regions, width: float) -> Mouth | None:
    """Find the opening behind which a disc of a width, mm, gets to most room."""
    dented = region.area(region.hulls(_corners(outlines))) - region.area(region.without_holes(outlines))
    some = np.argsort(-dented, kind="stable")[:MOST]
    some = some[dented[some] >= ROOM * width * width]
    simpler = region.simplified(outlines[some], SIMPLER)
    room = region.area(_closed(simpler, WIDEST * width)) - region.area(_closed(simpler, width))
    for place in np.argsort(-room, kind="stable")[:TRIED].tolist():
        if room[place] < ROOM * width * width:
            return None
        found = _mouth(simpler[[place]], width)
        if found is not None:
            return Mouth(found[0], int(some[place]), found[1])
    return None


def _corners(outlines: Regions) -> list[NDArray[np.float64]]:
    """Return the corners of each outline."""
    rings = region.rings(outlines)
    of = rings.start[rings.starts_by_item(len(outlines))]
    return [rings.xy[a:b] for a, b in pairwise(of.tolist())]


def _closed(outlines: Regions, width: float) -> Regions:
    """Return outlines, about, with all filled that a disc of a width, mm, cannot get to from outside."""
    return region.offset(region.without_holes(region.offset_rough(outlines, width / 2)), -width / 2)


def _mouth(outline: Regions, width: float) -> tuple[float, tuple[float, float]] | None:
    """Find the narrowest opening of one outline that is wider than a disc and has wider room behind it."""
    open_ = region.without_holes(region.offset_round(outline, width / 2))[0]
    low = width
    while low < WIDEST * width:
        high = low * STEP
        if _pockets(outline, high, open_):
            break
        low = high
    else:
        return None
    while high - low > FINE:
        middle = (low + high) / 2
        low, high = (low, middle) if _pockets(outline, middle, open_) else (middle, high)
    return high, _between(outline, high, open_)


def _pockets(outline: Regions, width: float, open_: region.Geometry) -> list[NDArray[np.float64]]:
    """Return the rims of rooms that a disc of a width does not leave, and one that was smaller got to from outside."""
    rings = region.rings(region.offset_round(outline, width / 2))
    inner = np.flatnonzero(np.diff(rings.polygon, prepend=-1) == 0)
    rims = [rings.xy[rings.start[k] : rings.start[k + 1]] for k in inner]
    return [rim for rim in rims if not region.inside(open_, rim).any()]


def _between(outline: Regions, width: float, open_: region.Geometry) -> tuple[float, float]:
    """Return the middle of the opening between the largest room and outside."""
    room = max(_pockets(outline, width, open_), key=len)
    rings = region.rings(region.offset_round(outline, width / 2))
    shells = np.flatnonzero(np.diff(rings.polygon, prepend=-1) > 0)
    outside = np.concatenate([rings.xy[rings.start[k] : rings.start[k + 1]] for k in shells])
    away = np.hypot(*(room[:, None] - outside[None]).transpose(2, 0, 1))
    one, other = np.unravel_index(int(away.argmin()), away.shape)
    middle = (room[one] + outside[other]) / 2
    return float(middle[0]), float(middle[1])
