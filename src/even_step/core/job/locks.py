"""What is locked stays as it is, whatever is done to the job."""

from __future__ import annotations

from even_step.core.job.model import Job
from even_step.core.job.spots import stood


def disturbed(old: Job, new: Job) -> str:
    """Return the name of a locked part that another job no longer holds as it was; empty when all are there."""
    before, after = _locked(old), _locked(new)
    return next((name for stand, (name, count) in before.items() if after.get(stand, ("", 0))[1] < count), "")


def _locked(job: Job) -> dict[object, tuple[str, int]]:
    """Return how locked copies stand from the middle of the bed, with a part's name and how many stand so."""
    x, y = job.machine.bed.centre
    told: dict[object, tuple[str, int]] = {}
    for _, part, copy in stood(job):
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
