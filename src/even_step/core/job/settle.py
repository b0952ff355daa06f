"""Places for copies that have none yet, from how large they stand."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from even_step.core.job.arrange import arrange
from even_step.core.job.edits import Pair, Spot, copy_at, placed_at, spots_of
from even_step.core.job.model import Job


def with_places(job: Job, sizes: Mapping[Spot, Pair]) -> Job:
    """Return the job with a place for every copy that had none.

    Parameters
    ----------
    job
        Any job.
    sizes
        Width and depth of each copy as it stands, mm.
    """
    spots = spots_of(job)
    lacking = [spot for spot in spots if copy_at(job, spot).at is None]
    if not lacking:
        return job
    taken = []
    for spot in spots:
        at = copy_at(job, spot).at
        if at is not None:
            half = np.array(sizes[spot]) / 2
            taken.append((*(np.array(at) - half), *(np.array(at) + half)))
    wanted = np.array([sizes[spot] for spot in lacking])
    places = arrange(wanted, job.machine.bed, np.array(taken).reshape(-1, 4))
    return placed_at(job, {spot: (float(x), float(y)) for spot, (x, y) in zip(lacking, places, strict=True)})


def without_places(job: Job) -> Job:
    """Return the job with every copy taken off its place, to be laid out anew."""
    parts = tuple(
        part.model_copy(update={"copies": tuple(copy.model_copy(update={"at": None}) for copy in part.copies)})
        for part in job.parts
    )
    return job.model_copy(update={"parts": parts})
