"""The layers that parts will have, before anything is sliced."""

from __future__ import annotations

from even_step.core.job.model import Job
from even_step.core.outline_stages import HEIGHTS, MESH
from even_step.core.pipeline import bed_to_come
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.stairs import Stairs, stairs_of
from even_step.core.slicing.surface import facets_of
from even_step.core.stages import Cache
from even_step.core.work import Crew


def heights_before(job: Job, crew: Crew, cache: Cache) -> dict[str, tuple[Heights, Stairs]]:
    """Return the layers of each part on a bed, and the stairs they leave on its slopes, by its id.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    placed, bed, runner = bed_to_come(job, crew, cache)
    found: dict[str, tuple[Heights, Stairs]] = {}
    for part, copy in zip(placed, bed.under, strict=True):
        if part.part not in found:
            heights = runner.value(HEIGHTS, copy.under[0])
            found[part.part] = heights, stairs_of(facets_of(runner.given(MESH, copy.under[0])), heights)
    return found
