"""Edits that put copies elsewhere on the bed, mm."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.edits.change import with_changed
from even_step.core.job.edits.poses import turned
from even_step.core.job.model import Copy, Job
from even_step.core.job.room import fits
from even_step.core.job.spots import Spot, stood

Pair = tuple[float, float]


def on_grid(xy: Iterable[float]) -> Pair:
    """Return a place on the grid of a micrometre that toolpaths lie on, mm."""
    x, y = (round(float(value), 3) + 0.0 for value in xy)
    return x, y


def moved(job: Job, spots: Iterable[Spot], by: Pair) -> Job:
    """Move copies over the bed, mm. Copies without a place stay without one."""

    def change(_: Spot, copy: Copy) -> dict[str, object]:
        return {"at": copy.at and on_grid((copy.at[0] + by[0], copy.at[1] + by[1]))}

    return with_changed(job, spots, change)


def placed_at(job: Job, places: Mapping[Spot, Pair]) -> Job:
    """Put copies with their middle at the given places, mm."""
    return with_changed(job, places, lambda spot, _: {"at": on_grid(places[spot])})


def laid_at(job: Job, places: Mapping[Spot, tuple[Pair, float]]) -> Job:
    """Put copies with their middle at the given places, mm, each turned by so many degrees."""
    job = placed_at(job, {spot: at for spot, (at, _) in places.items()})
    for turn in sorted({turn for _, turn in places.values()} - {0.0}):
        job = turned(job, [spot for spot, (_, own) in places.items() if own == turn], 2, turn)
    return job


def without_places(job: Job, spots: Iterable[Spot] | None = None) -> Job:
    """Return the job with copies that are not locked taken off their places, to be laid out anew; all, if not named."""
    chosen = None if spots is None else set(spots)
    free = [spot for spot, _, copy in stood(job) if not copy.locked and (chosen is None or spot in chosen)]
    return with_changed(job, free, lambda *_: {"at": None})


def in_the_middle(job: Job, spot: Spot, size: Sequence[float] | NDArray[np.float64]) -> Job | None:
    """Return the job with a copy in the middle of a bed where all is free; none where it does not fit there."""
    bed = job.machine.bed
    if job.layout.keep_out or not fits(bed, bed.centre, size):
        return None
    return placed_at(job, {spot: bed.centre})
