"""What every edit of parts is made of: some fields of a part, or of some copies, are others."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from even_step.core.job.model import Copy, Job, Part
from even_step.core.job.spots import Spot, number_of


def with_part(job: Job, part: str, **fields: object) -> Job:
    """Return the job with fields of one part replaced."""
    parts, number = list(job.parts), number_of(job, part)
    parts[number] = parts[number].model_copy(update=fields)
    return job.model_copy(update={"parts": tuple(parts)})


def with_changed(job: Job, spots: Iterable[Spot], change: Callable[[Spot, Copy], Mapping[str, object]]) -> Job:
    """Return the job with fields of some copies replaced; ``change`` returns those of each."""
    chosen = set(spots)
    of = {spot.part for spot in chosen}
    parts = tuple(_changed(part, chosen, change) if part.id in of else part for part in job.parts)
    return job.model_copy(update={"parts": parts})


def _changed(part: Part, chosen: set[Spot], change: Callable[[Spot, Copy], Mapping[str, object]]) -> Part:
    copies = [
        copy.model_copy(update=change(spot, copy)) if (spot := Spot(part.id, copy.id)) in chosen else copy
        for copy in part.copies
    ]
    return part.model_copy(update={"copies": tuple(copies)})
