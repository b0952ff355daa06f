"""Edits that line parts up on the bed: align, distribute; and what must not be disturbed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.edits import Pair, Spot, copy_at, placed_at, spots_of
from even_step.core.job.model import Bed, Job, Machine

SLACK = 1e-6  # mm a part may stick out, for rounding
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


def fits(bed: Bed, at: Pair, size: Sequence[float] | NDArray[np.float64]) -> bool:
    """Whether a part's bounds lie on a bed; on a round bed its corners' circle may reach out a little."""
    half = np.asarray(size[:2]) / 2
    low, high = np.asarray(at) - half, np.asarray(at) + half
    x0, y0, x1, y1 = bed.bounds
    inside = bool((low >= (x0 - SLACK, y0 - SLACK)).all() and (high <= (x1 + SLACK, y1 + SLACK)).all())
    if bed.shape == "round":
        far = np.hypot(*(np.asarray(at) - bed.centre)) + max(half)
        return inside and bool(far <= bed.size[0] / 2 + SLACK)
    return inside


def misplaced(machine: Machine, at: Pair, size: Sequence[float] | NDArray[np.float64]) -> str:
    """Say how a part's bounds leave the volume of a machine; nothing where they do not."""
    if size[2] > machine.height + SLACK:
        return f"taller than {machine.height:g} mm"
    return "" if fits(machine.bed, at, size) else "off the bed"


def in_the_middle(job: Job, spot: Spot, size: Sequence[float] | NDArray[np.float64]) -> Job | None:
    """Return the job with a copy in the middle of a bed where all is free; none where it does not fit there."""
    bed = job.machine.bed
    if job.layout.keep_out or not fits(bed, bed.centre, size):
        return None
    return placed_at(job, {spot: bed.centre})


def disturbed(old: Job, new: Job) -> str:
    """Return the name of a locked part that another job no longer holds as it was; empty when all are there."""
    before, after = _locked(old), _locked(new)
    return next((name for stand, (name, count) in before.items() if after.get(stand, ("", 0))[1] < count), "")


def _locked(job: Job) -> dict[object, tuple[str, int]]:
    """Return how locked copies stand from the middle of the bed, with a part's name and how many stand so."""
    x, y = job.machine.bed.centre
    told: dict[object, tuple[str, int]] = {}
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
                (round(copy.at[0] - x, 6), round(copy.at[1] - y, 6)) if copy.at else None,
                copy.bed,
                copy.turn,
            )
            told[pose] = part.name, told.get(pose, ("", 0))[1] + 1
    return told
