"""Rings that follow the outline inward."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.ragged import Index, Points, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.work import Crew, runs_of

MOST_RINGS = 2000


def concentric(rooms: Regions, spacing: NDArray[np.float64], crew: Crew) -> Strokes:
    """Lay closed lines half a spacing inside each room and every spacing on."""

    def lay(first: int, last: int) -> tuple[Points, Index, Index]:
        shapes, apart = rooms[first:last], spacing[first:last]
        found: list[tuple[int, int, Points]] = []
        alive = np.flatnonzero(~region.is_empty(shapes))
        for step in range(MOST_RINGS):
            if len(alive) == 0:
                break
            moved = region.offset(shapes[alive], -(step + 0.5) * apart[alive])
            rings = region.rings(moved)
            for k, item in enumerate(rings.item):
                xy = rings.xy[rings.start[k] : rings.start[k + 1]]
                found.append((int(alive[item]), step, np.vstack((xy, xy[:1]))))
            alive = alive[~region.is_empty(moved)]
        found.sort(key=lambda one: one[:2])
        counts = np.bincount([one[0] for one in found], minlength=last - first) if found else np.zeros(last - first)
        xy = np.concatenate([one[2] for one in found]) if found else np.empty((0, 2))
        return xy, starts_of(np.array([len(one[2]) for one in found], np.int64)), starts_of(counts)

    done = crew.each(lay, runs_of(region.size_in_points(rooms), most=8_000))
    return gathered(done)


def gathered(done: list[tuple[Points, Index, Index]]) -> Strokes:
    """Put points, starts and cells of several runs of rooms together; no line follows another."""
    if not done:
        return Strokes(np.empty((0, 2)), np.zeros(1, np.int64), np.empty(0, np.bool_), np.zeros(1, np.int64))
    start = joined_starts([one[1] for one in done])
    return Strokes(
        np.concatenate([one[0] for one in done]),
        start,
        np.zeros(len(start) - 1, np.bool_),
        joined_starts([one[2] for one in done]),
    )
