"""The layers that parts will have, before anything is sliced."""

from __future__ import annotations

from even_step.core.graph import Runner
from even_step.core.job.cascade import resolve
from even_step.core.job.model import Job
from even_step.core.pipeline import bed_unit
from even_step.core.slicing.heights import Heights
from even_step.core.solid_stages import HEIGHTS
from even_step.core.stages import Cache, StageRun
from even_step.core.standing import files_of, stand
from even_step.core.work import Crew


def heights_before(job: Job, crew: Crew, cache: Cache) -> dict[str, Heights]:
    """Return the layers of each part on a bed, by its id.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    run = StageRun(crew, cache)
    scopes = resolve(job)
    solids, placed = stand(job, files_of(job, scopes.job, run), scopes, run)
    bed, runner = bed_unit(job, scopes, solids, placed), Runner(run)
    return {part.part: runner.value(HEIGHTS, copy.under[0]) for part, copy in zip(placed, bed.under, strict=True)}
