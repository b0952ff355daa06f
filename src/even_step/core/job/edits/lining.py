"""Edits that line parts up on the bed: align, distribute."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from even_step.core.job.edits.places import Pair, placed_at
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, copy_at

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
    order = sorted(spots, key=lambda spot: _place(job, spot)[axis])
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
