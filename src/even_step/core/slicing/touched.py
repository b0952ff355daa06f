"""What of outlines a disc touches that rolls round them outside, of any opening it is too wide for only the rim.

Its middle keeps to the rim of the outlines moved out by its radius, holes filled. A point is touched if that rim is no
farther than the radius; a point so deep within an outline, if it is no farther than both together.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points, Rings
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import Grids, grids_of
from even_step.core.work import Crew, runs_of

SLACK = 0.05  # mm by which a point may be farther
SIMPLER = 0.01  # mm that outlines may be off
DEEPEST = 2.0  # mm within an outline that a point may be
CELLS = 3  # to the farthest that is looked for


@dataclass(frozen=True, eq=False)
class Touched:
    """The rims on which the middle of a disc of a ``radius`` may be, mm, of each outline."""

    radius: float
    rims: Grids

    def reaches(self, points: Points, outline: int | Index, deep: float | NDArray[np.float64]) -> NDArray[np.bool_]:
        """Tell which points, ``deep`` mm within their outline, lie where a disc has touched it; all of an empty one."""
        owner, deep = (np.broadcast_to(one, len(points)) for one in (np.asarray(outline, np.int64), np.asarray(deep)))
        out = np.ones(len(points), np.bool_)
        some = np.flatnonzero(self.rims.slot[owner] >= 0)
        most = self.radius + DEEPEST + SLACK
        away = self.rims.distances(np.ascontiguousarray(points[some]), owner[some], most)
        out[some] = away <= self.radius + np.minimum(deep[some], DEEPEST) + SLACK
        return out


def touched_by(outlines: Regions, width: float, crew: Crew) -> Touched:
    """Find where discs of a width, mm, get to round outlines."""
    radius = width / 2

    def grow(first: int, last: int) -> Regions:
        simpler = region.simplified(outlines[first:last], SIMPLER)
        return region.without_holes(region.offset_round(simpler, radius))

    parts = crew.each(grow, runs_of(region.size_in_points(outlines), most=5_000))
    rings = region.rings(np.concatenate(parts) if parts else region.nothing(0))
    return Touched(radius, _grids(rings, len(outlines), (radius + DEEPEST + SLACK) / CELLS))


def _grids(rings: Rings, count: int, cell: float) -> Grids:
    some = np.unique(rings.item)
    if len(some):
        return grids_of(rings, some, count, cell)
    none, start = np.empty(0, np.int64), np.zeros(1, np.int64)
    return Grids(np.full(count, -1, np.int64), (np.empty((0, 4)), np.empty((0, 5)), none, none, start, start, start))
