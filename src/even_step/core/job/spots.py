"""Which copy of which part: by ids, whose place in the job's lists is looked up at the last moment."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from even_step.core.job.model import Copy, Job, Part


class Spot(NamedTuple):
    """One copy on a bed, by the ids of its part and of itself."""

    part: str
    copy: str


def stood(job: Job) -> Iterator[tuple[Spot, Part, Copy]]:
    """Go through every copy on the beds with its part, in the job's order."""
    return ((Spot(part.id, copy.id), part, copy) for part in job.parts for copy in part.copies)


def spots_of(job: Job, parts: Iterable[str] | None = None) -> list[Spot]:
    """Return every copy on the beds, in the job's order; only those of some parts, if these are named."""
    wanted = None if parts is None else set(parts)
    return [spot for spot, _, _ in stood(job) if wanted is None or spot.part in wanted]


def first_spot(part: Part) -> Spot:
    """Return the first copy of a part."""
    return Spot(part.id, part.copies[0].id)


def has_part(job: Job, part: str) -> bool:
    """Whether a part is in the job."""
    return any(one.id == part for one in job.parts)


def part_of(job: Job, part: str) -> Part:
    """Return the part that has an id.

    Raises
    ------
    KeyError
        When the job has it no more.
    """
    return job.parts[number_of(job, part)]


def number_of(job: Job, part: str) -> int:
    """Return where a part stands in the job, counted from 0.

    Raises
    ------
    KeyError
        When the job has it no more.
    """
    for number, one in enumerate(job.parts):
        if one.id == part:
            return number
    raise KeyError(part)


def copy_at(job: Job, spot: Spot) -> Copy:
    """Return the copy a spot names.

    Raises
    ------
    KeyError
        When the job has it no more.
    """
    for copy in part_of(job, spot.part).copies:
        if copy.id == spot.copy:
            return copy
    raise KeyError(spot.copy)


def title_of(job: Job, spot: Spot) -> str:
    """Name a copy, with its number from the second on."""
    part = part_of(job, spot.part)
    number = [copy.id for copy in part.copies].index(spot.copy)
    return part.name if number == 0 else f"{part.name} {number + 1}"
