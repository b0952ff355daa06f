"""The layers that parts will have, before anything is sliced."""

from __future__ import annotations

from typing import NamedTuple

from even_step.core.catalogue.layers import HEIGHT
from even_step.core.job.model import Job
from even_step.core.outline_stages import HEIGHTS, MESH
from even_step.core.pipeline import bed_to_come
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.stairs import Stairs, even_stairs, stairs_of
from even_step.core.slicing.surface import facets_of
from even_step.core.stages import Cache
from even_step.core.work import Crew


class ForeseenHeights(NamedTuple):
    """The layers of a part, the stairs they leave on its slopes, and those that even layers would leave."""

    heights: Heights
    stairs: Stairs
    even: Stairs


def heights_before(job: Job, crew: Crew, cache: Cache) -> dict[str, ForeseenHeights]:
    """Return the layers of each part on a bed, by its id.

    Raises
    ------
    EvenStepError
        As ``slice_job``.
    """
    placed, bed, runner = bed_to_come(job, crew, cache)
    found: dict[str, ForeseenHeights] = {}
    for part, copy in zip(placed, bed.under, strict=True):
        if part.part not in found:
            solid = copy.under[0]
            heights, facets = runner.value(HEIGHTS, solid), facets_of(runner.given(MESH, solid))
            even = even_stairs(facets, float(solid.tables[0][HEIGHT.key]))
            found[part.part] = ForeseenHeights(heights, stairs_of(facets, heights), even)
    return found
