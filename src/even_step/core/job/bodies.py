"""The bodies of an assembly: split off as parts of their own, joined again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from even_step.core.errors import JobError
from even_step.core.job.edits import Spot, added, removed, with_part
from even_step.core.job.model import Job, Part


def bodies_of(part: Part, names: Sequence[str]) -> tuple[int, ...]:
    """Return the numbers of a part's bodies; ``names`` are those of all bodies of the file's part."""
    return part.bodies or tuple(range(len(names)))


def split_off(job: Job, number: int, bodies: Sequence[int], names: Sequence[str]) -> tuple[Job, list[Spot]]:
    """Make bodies of a part parts of their own, with as many copies, which have no place yet.

    A body that is alone goes by its own name.

    Parameters
    ----------
    job, number
        The job, and which of its parts.
    bodies
        Which of its bodies; one at least stays behind.
    names
        Of all bodies that the file's part has.

    Returns
    -------
    Job, list of Spot
        And where the first copies of the new parts are.
    """
    part = job.parts[number]
    stays = tuple(body for body in bodies_of(part, names) if body not in bodies)
    free = tuple(copy.model_copy(update={"at": None, "locked": False}) for copy in part.copies)
    new = [
        part.model_copy(update={"name": names[body], "bodies": (body,), "hidden_bodies": (), "copies": free})
        for body in bodies
    ]
    hidden = tuple(body for body in part.hidden_bodies if body in stays)
    name = names[stays[0]] if len(stays) == 1 else part.name
    job = with_part(job, number, name=name, bodies=stays, hidden_bodies=hidden)
    first = len(job.parts)
    return added(job, new), [(first + i, 0) for i in range(len(new))]


def joined_again(job: Job, numbers: Sequence[int], whole: Mapping[int, tuple[str, int]]) -> tuple[Job, Spot]:
    """Join parts that are bodies of one assembly; the first keeps its pose and copies, the others go.

    A lone body no longer goes by its own name.

    Parameters
    ----------
    job, numbers
        The job, and which of its parts, in any order.
    whole
        For each of them, the name of the file's part and how many bodies it has.

    Raises
    ------
    JobError
        When they come from different parts, or have a body twice.
    """
    first, *others = sorted(numbers)
    kept = job.parts[first]
    bodies = _own(kept, whole[first][1])
    for number in others:
        part = job.parts[number]
        if (part.source, part.object, part.unit) != (kept.source, kept.object, kept.unit):
            raise JobError(
                f"and {part.name} are not bodies of one assembly",
                subject=kept.name,
                remedy="join what was split off before",
            )
        own = _own(part, whole[number][1])
        if own & bodies:
            raise JobError(f"and {part.name} have a body in common", subject=kept.name, remedy="remove one of them")
        bodies |= own
    name, count = whole[first]
    full = len(bodies) == count
    job = with_part(
        job,
        first,
        name=name if full or len(kept.bodies) == 1 else kept.name,
        bodies=() if full else tuple(sorted(bodies)),
        hidden_bodies=tuple(sorted({body for number in numbers for body in job.parts[number].hidden_bodies})),
    )
    gone = [(number, k) for number in others for k in range(len(job.parts[number].copies))]
    return removed(job, gone), (first, 0)


def _own(part: Part, count: int) -> set[int]:
    return set(part.bodies or range(count))


def with_bodies_hidden(job: Job, number: int, bodies: Sequence[int], *, hidden: bool) -> Job:
    """Hide bodies of a part, or show them; they are printed all the same."""
    now = set(job.parts[number].hidden_bodies)
    now = now | set(bodies) if hidden else now - set(bodies)
    return with_part(job, number, hidden_bodies=tuple(sorted(now)))
