"""Edits of which parts and copies there are, and of the marks they bear."""

from __future__ import annotations

from collections.abc import Iterable

from even_step.core.errors import JobError
from even_step.core.job.edits.change import with_changed, with_part
from even_step.core.job.model import MOST_COPIES, Copy, Job, Part
from even_step.core.job.spots import Spot, first_spot, part_of


def added(job: Job, parts: Iterable[Part]) -> Job:
    """Add parts behind those that are there; they get ids of this job, whatever theirs were."""
    return _behind(job, (part.model_copy(update={"id": "", "copies": _nameless(part.copies)}) for part in parts))


def _nameless(copies: Iterable[Copy]) -> tuple[Copy, ...]:
    return tuple(copy.model_copy(update={"id": ""}) for copy in copies)


def _behind(job: Job, parts: Iterable[Part]) -> Job:
    return job.model_copy(update={"parts": (*job.parts, *parts)})


def copied(job: Job, spots: Iterable[Spot]) -> tuple[Job, list[Spot]]:
    """Add one more copy for each chosen one, without a place yet; returns their spots too."""
    chosen, new = set(spots), []
    for part in job.parts:
        more = tuple(
            copy.model_copy(update={"id": "", "at": None}) for copy in part.copies if Spot(part.id, copy.id) in chosen
        )
        if more:
            _refuse_too_many(part, len(part.copies) + len(more))
            job = with_part(job, part.id, copies=part.copies + more)
            new += [Spot(part.id, copy.id) for copy in part_of(job, part.id).copies[len(part.copies) :]]
    return job, new


def with_copies(job: Job, part: str, count: int) -> Job:
    """Give a part so many copies; further ones have no place yet, the last ones go first.

    Raises
    ------
    JobError
        When the count is not from 1 to 1000.
    """
    known = part_of(job, part)
    _refuse_too_many(known, count)
    copies = known.copies[:count]
    copies += (known.copies[-1].model_copy(update={"id": "", "at": None}),) * (count - len(copies))
    return with_part(job, part, copies=copies)


def with_mark(job: Job, spots: Iterable[Spot], **marks: object) -> Job:
    """Give copies other marks, such as ``locked``, ``hidden`` or ``bed``."""
    return with_changed(job, spots, lambda *_: marks)


def cut_loose(job: Job, spots: Iterable[Spot]) -> tuple[Job, list[Spot]]:
    """Make copies parts of their own, which no longer follow the others; returns their new spots too."""
    chosen, loose = set(spots), []
    for part in job.parts:
        own = [copy for copy in part.copies if Spot(part.id, copy.id) in chosen]
        if len(own) == len(part.copies):  # all of them: the first stays what it was
            del own[0]
        loose += [part.model_copy(update={"id": "", "copies": (copy,)}) for copy in own]
    moving = {copy.id for part in loose for copy in part.copies}
    job = _behind(removed(job, [spot for spot in chosen if spot.copy in moving]), loose)
    return job, [first_spot(part) for part in job.parts[len(job.parts) - len(loose) :]]


def _refuse_too_many(part: Part, count: int) -> None:
    if not 1 <= count <= MOST_COPIES:
        raise JobError(f"{count} copies cannot be", subject=part.name, remedy=f"1 to {MOST_COPIES}")


def removed(job: Job, spots: Iterable[Spot]) -> Job:
    """Take copies off the bed; a part without any copy left goes too."""
    gone = set(spots)
    parts = []
    for part in job.parts:
        copies = tuple(copy for copy in part.copies if Spot(part.id, copy.id) not in gone)
        if copies:
            parts.append(part if len(copies) == len(part.copies) else part.model_copy(update={"copies": copies}))
    return job.model_copy(update={"parts": tuple(parts)})
