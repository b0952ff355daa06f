"""What texture costs: the time of a job less what it would take without, through the cache of the stages."""

from __future__ import annotations

from even_step.core.bed_stages import MOTION
from even_step.core.catalogue import texture
from even_step.core.catalogue.setting import Value
from even_step.core.job.model import Job
from even_step.core.pipeline import Sliced, bed_to_come
from even_step.core.stages import StageRun

KEY = texture.DEPTH.key


def texture_time(sliced: Sliced, run: StageRun) -> float:
    """Return how many seconds longer a job takes for its texture; only order, lines and motion are made again."""
    asked = [solid.settings for solid in sliced.solids]
    asked += [zone.settings for part in sliced.job.parts for zone in part.zones]
    if not any(settings.get(KEY) for settings in asked):
        return 0.0
    _, bed, runner = bed_to_come(smooth(sliced.job), run.crew, run.cache)
    return sliced.plan.total - runner.value(MOTION, bed).total


def smooth(job: Job) -> Job:
    """Return a job without texture anywhere."""

    def without(settings: dict[str, Value]) -> dict[str, Value]:
        return {key: value for key, value in settings.items() if key != KEY}

    parts = tuple(
        part.model_copy(
            update={
                "settings": without(dict(part.settings)),
                "zones": tuple(
                    zone.model_copy(update={"settings": without(dict(zone.settings))}) for zone in part.zones
                ),
            }
        )
        for part in job.parts
    )
    return job.model_copy(update={"parts": parts, "settings": {**job.settings, KEY: 0.0}})
