"""A sweep: the job sliced once for each value of a setting, or of two, through the cache of the stages."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from even_step.core.catalogue.setting import Value
from even_step.core.job.model import Job
from even_step.core.pipeline import slice_job
from even_step.core.report import outcome
from even_step.core.stages import Cache, StageRun
from even_step.core.trials.figures import Row, row_of
from even_step.core.work import Crew


def sweep(jobs: Sequence[tuple[dict[str, Value], Job]], crew: Crew, cache: Cache) -> Iterator[Row]:
    """Slice the jobs of a sweep and yield a row for each, as it is done: what was yielded stays when it is called off.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    for swept, job in jobs:
        run = StageRun(crew, cache)
        yield row_of(outcome(slice_job(job, crew, cache, run)), swept)
