"""In which zone each laid line lies."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.plane.ragged import Points
from even_step.core.slicing.zones import Footprints
from even_step.core.toolpath.toolpath import Toolpath

Numbers = NDArray[np.int64]


def zones_of_paths(sliced: Sliced) -> Numbers:
    """Return the number of the last zone that holds each path's middle, (P,); −1 where none does.

    All zones are counted, those of the job's first part first; the last of a part's zones is the one that decides.
    """
    path = sliced.toolpath
    found = np.full(len(path.role), -1)
    counts = [len(part.zones) for part in sliced.job.parts]
    before = dict(zip((part.id for part in sliced.job.parts), np.cumsum([0, *counts[:-1]]), strict=False))
    for number, placed in enumerate(sliced.placed):
        prints = sliced.solids[placed.solid].prints
        own = np.flatnonzero((path.part == number) & (path.own >= 0))
        if len(prints.which) and len(own):
            held = _zones_of(prints, _middles(path, own) - np.array(placed.at), path.own[own])
            found[own] = np.where(held >= 0, held + before[placed.part], -1)
    return found


def _middles(path: Toolpath, some: Numbers) -> Points:
    """Return the middle of the step in the middle of some paths, (n, 2), mm."""
    first, last = path.start[some], path.start[some + 1] - 1
    at = (first + last) // 2
    return np.asarray(0.5 * (path.xy[at] + path.xy[np.minimum(at + 1, last)]))


def _zones_of(prints: Footprints, points: Points, layer: NDArray[np.int32]) -> Numbers:
    """Return the last zone of a part that holds each of some points in their layers, in the part's frame."""
    found = np.full(len(points), -1)
    boxes = region.bounds(prints.outline)
    for zone, which in enumerate(prints.which):
        own = which[layer]
        low, high = boxes[own, :2], boxes[own, 2:]
        near = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
        held = near[region.holds(prints.outline[own[near]], points[near])]
        found[held] = zone
    return found
