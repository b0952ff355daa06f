"""The layers that parts will have, before anything is sliced."""

from __future__ import annotations

from even_step.core.job.model import Job
from even_step.core.outline_stages import HEIGHTS
from even_step.core.pipeline import bed_to_come
from even_step.core.slicing.heights import Heights
from even_step.core.stages import Cache
from even_step.core.work import Crew


def heights_before(job: Job, crew: Crew, cache: Cache) -> dict[str, Heights]:
    """Return the layers of each part on a bed, by its id.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    placed, bed, runner = bed_to_come(job, crew, cache)
    return {part.part: runner.value(HEIGHTS, copy.under[0]) for part, copy in zip(placed, bed.under, strict=True)}
