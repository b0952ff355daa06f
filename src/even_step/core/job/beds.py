"""The beds of a job: what does not fit on one is printed on the next; each is sliced alone."""

from __future__ import annotations

from collections.abc import Iterable

from even_step.core.errors import JobError
from even_step.core.job.edits import with_mark
from even_step.core.job.model import MOST_BEDS, Copy, Job, Part
from even_step.core.job.spots import Spot, stood

GAP = 1.2  # bed widths from one bed to the next, where all are drawn side by side


def bed_count(job: Job) -> int:
    """Return how many beds the job has; one at least."""
    return 1 + max((copy.bed for part in job.parts for copy in part.copies), default=0)


def spots_on(job: Job, bed: int) -> list[Spot]:
    """Return every copy on a bed, in the job's order."""
    return [spot for spot, _, copy in stood(job) if copy.bed == bed]


def on_bed(job: Job, bed: int) -> Job:
    """Return the job that prints one bed alone: only its copies, on a first bed, without the parts that have none.

    What makes no difference to the print, such as locks, what is hidden, and pins, is left out too.
    """
    plain = {"bed": 0, "locked": False, "hidden": False}
    parts = []
    for part in job.parts:
        copies = tuple(copy.model_copy(update=plain) for copy in part.copies if copy.bed == bed)
        if copies:
            parts.append(part.model_copy(update={"copies": copies, "hidden_bodies": ()}))
    # Ids given to what is elsewhere or gone make no difference either.
    order = tuple(name for name in job.order if any(part.id == name for part in parts))
    fields = {"parts": tuple(parts), "order": order, "beds": job.beds[bed : bed + 1], "ids_given": 0}
    fields |= {"pins": (), "set_aside": ()}
    alone = job.model_copy(update=fields)
    return job if job == alone else alone


def with_bed_as(job: Job, bed: int, alone: Job) -> Job:
    """Return the job with a bed as a job from ``on_bed`` has it; other beds keep their copies, pins stay.

    Machine, materials and settings are those of ``alone``, also for the other beds, for all share them. So are the
    parts on the bed with what is their own, wherever else they stand.
    """
    then = {part.id: part for part in alone.parts}
    parts = []
    for part in job.parts:
        before = then.pop(part.id, None)
        copies = _copies_as(part, bed, before)
        if copies:
            own = before.model_copy(update={"hidden_bodies": part.hidden_bodies}) if before else part
            parts.append(own.model_copy(update={"copies": copies}))
    for part in then.values():
        copies = tuple(copy.model_copy(update={"bed": bed}) for copy in part.copies)
        parts.append(part.model_copy(update={"copies": copies}))
    order = (*alone.order, *(name for name in job.order if name not in alone.order))
    told = ("machine", "materials", "recipe", "settings", "layout", "tower")
    fields = {"parts": tuple(parts), "order": order, **{name: getattr(alone, name) for name in told}}
    return job.model_copy(update=fields)


def _copies_as(part: Part, bed: int, before: Part | None) -> tuple[Copy, ...]:
    """Return the copies of a part, on a bed those that it had there before; they stay locked and hidden as they are."""
    now = {copy.id: copy for copy in part.copies}
    then = []
    for copy in before.copies if before else ():
        marks = {name: getattr(now.get(copy.id, copy), name) for name in ("locked", "hidden")}
        then.append(copy.model_copy(update={"bed": bed, **marks}))
    # In their order then, in the places of those that are there now, so that nothing else changes its order.
    kept, back = [], {copy.id for copy in then}
    for copy in part.copies:
        if copy.bed != bed and copy.id not in back:
            kept.append(copy)
        elif copy.bed == bed and then:
            kept.append(then.pop(0))
    return (*kept, *then)


def put_on_bed(job: Job, spots: Iterable[Spot], bed: int) -> Job:
    """Put copies on another bed, where they have no place yet.

    Raises
    ------
    JobError
        When there can be no such bed.
    """
    if not 0 <= bed < MOST_BEDS:
        raise JobError(f"cannot have a bed {bed + 1}", subject=job.name, remedy=f"1 to {MOST_BEDS}")
    chosen = set(spots)
    return with_mark(job, [s for s, _, copy in stood(job) if s in chosen and copy.bed != bed], bed=bed, at=None)


def number_of_bed(job: Job, bed: str) -> int | None:
    """Return which bed of the job has an id, counted from 0; none where it is gone."""
    return job.beds.index(bed) if bed in job.beds else None


def without_empty_beds(job: Job) -> Job:
    """Return the job with its beds counted anew, so that none of them is empty; the first stays if all are."""
    used = sorted({copy.bed for part in job.parts for copy in part.copies}) or [0]
    if len(used) == len(job.beds):
        return job
    on_each = [spots_on(job, bed) for bed in used]
    beds = tuple(job.beds[bed] for bed in used)
    for new, spots in enumerate(on_each):
        job = with_mark(job, spots, bed=new)
    return job.model_copy(update={"beds": beds})
