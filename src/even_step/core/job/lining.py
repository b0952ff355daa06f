"""Edits that line parts up on the bed: align, distribute; and what must not be disturbed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np

from even_step.core.job.edits import Pair, Spot, copy_at, placed_at, spots_of
from even_step.core.job.model import Job

Side = Literal["least", "middle", "most"]
SHARE: dict[Side, float] = {"least": -0.5, "middle": 0.0, "most": 0.5}


def aligned(job: Job, spots: Sequence[Spot], sizes: Mapping[Spot, Pair], axis: int, side: Side) -> Job:
    """Bring copies to one line along an axis of the bed, that of the one in hand, which is the last of them.

    Parameters
    ----------
    job
        Any job.
    spots
        Copies that have a place.
    sizes
        Width and depth of each, mm.
    axis
        0 for x, 1 for y.
    side
        Whether their least edges, their middles or their largest edges come to one line.
    """
    share = SHARE[side]
    leader = spots[-1]
    line = _place(job, leader)[axis] + share * sizes[leader][axis]
    places = {}
    for spot in spots:
        at = list(_place(job, spot))
        at[axis] = line - share * sizes[spot][axis]
        places[spot] = (at[0], at[1])
    return placed_at(job, places)


def distributed(job: Job, spots: Sequence[Spot], sizes: Mapping[Spot, Pair], axis: int) -> Job:
    """Leave equal gaps between copies along an axis of the bed; the outermost two stay."""
    order = sorted(spots, key=lambda spot: (_place(job, spot)[axis], spot))
    if len(order) < 3:
        return job
    low = _place(job, order[0])[axis] - sizes[order[0]][axis] / 2
    high = _place(job, order[-1])[axis] + sizes[order[-1]][axis] / 2
    gap = (high - low - sum(sizes[spot][axis] for spot in order)) / (len(order) - 1)
    places, edge = {}, low
    for spot in order:
        at = list(_place(job, spot))
        at[axis] = edge + sizes[spot][axis] / 2
        places[spot] = (at[0], at[1])
        edge += sizes[spot][axis] + gap
    places.pop(order[0])
    places.pop(order[-1])
    return placed_at(job, places)


def _place(job: Job, spot: Spot) -> Pair:
    return copy_at(job, spot).at or (0.0, 0.0)


def fitting_factor(size: Sequence[float], job: Job) -> float:
    """Return by how much a part of some size can grow, or must shrink, to just fit the machine; to a thousandth."""
    bed = job.machine.bed
    if bed.shape == "round":
        flat = bed.size[0] / float(np.hypot(size[0], size[1]))
    else:
        flat = min(bed.size[0] / size[0], bed.size[1] / size[1])
    return float(np.floor(min(flat, job.machine.height / size[2]) * 1000.0) / 1000.0)


def disturbed(old: Job, new: Job) -> str:
    """Return the name of a locked part that another job no longer holds as it was; empty when all are there."""
    gone = _locked(old) - _locked(new)
    return next(iter(gone))[0] if gone else ""


def _locked(job: Job) -> Counter[tuple[str, object]]:
    told = []
    for spot in spots_of(job):
        part, copy = job.parts[spot[0]], copy_at(job, spot)
        if copy.locked:
            pose = (
                part.source,
                part.object,
                part.bodies,
                part.unit,
                part.stretch,
                part.turn,
                copy.at,
                copy.bed,
                copy.turn,
            )
            told.append((part.name, pose))
    return Counter(told)
