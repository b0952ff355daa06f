"""Edits of the bodies of an assembly: split off as parts of their own, joined again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from even_step.core.errors import JobError
from even_step.core.job.edits.change import with_part
from even_step.core.job.edits.copies import added, removed
from even_step.core.job.model import Job, Part
from even_step.core.job.spots import Spot, first_spot, part_of, spots_of
from even_step.core.job.zones import Zone


def bodies_of(part: Part, names: Sequence[str]) -> tuple[int, ...]:
    """Return the numbers of a part's bodies; ``names`` are those of all bodies of the file's part."""
    return part.bodies or tuple(range(len(names)))


def split_off(job: Job, part: str, bodies: Sequence[int], names: Sequence[str]) -> tuple[Job, list[Spot]]:
    """Make bodies of a part parts of their own, with as many copies, which have no place yet.

    A body that is alone goes by its own name.

    Parameters
    ----------
    job, part
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
    known = part_of(job, part)
    stays = tuple(body for body in bodies_of(known, names) if body not in bodies)
    free = tuple(copy.model_copy(update={"at": None, "locked": False}) for copy in known.copies)
    new = [
        known.model_copy(
            update={
                "name": names[body],
                "bodies": (body,),
                "hidden_bodies": (),
                "copies": free,
                "zones": _zones_for(known, (body,)),
            }
        )
        for body in bodies
    ]
    hidden = tuple(body for body in known.hidden_bodies if body in stays)
    name = names[stays[0]] if len(stays) == 1 else known.name
    zones = _zones_for(known, stays)
    job = added(with_part(job, part, name=name, bodies=stays, hidden_bodies=hidden, zones=zones), new)
    return job, [first_spot(one) for one in job.parts[len(job.parts) - len(new) :]]


def joined_again(job: Job, parts: Sequence[str], whole: Mapping[str, tuple[str, int]]) -> tuple[Job, Spot]:
    """Join parts that are bodies of one assembly; the first in the job keeps its pose and copies, the others go.

    A lone body no longer goes by its own name.

    Parameters
    ----------
    job, parts
        The job, and which of its parts, in any order.
    whole
        For each of them, the name of the file's part and how many bodies it has.

    Raises
    ------
    JobError
        When they come from different parts, or have a body twice.
    """
    kept, *others = (part for part in job.parts if part.id in set(parts))
    bodies = _own(kept, whole[kept.id][1])
    for part in others:
        if (part.source, part.object, part.unit) != (kept.source, kept.object, kept.unit):
            raise JobError(
                f"and {part.name} are not bodies of one assembly",
                subject=kept.name,
                remedy="join what was split off before",
            )
        own = _own(part, whole[part.id][1])
        if own & bodies:
            raise JobError(f"and {part.name} have a body in common", subject=kept.name, remedy="remove one of them")
        bodies |= own
    name, count = whole[kept.id]
    full = len(bodies) == count
    job = with_part(
        job,
        kept.id,
        name=name if full or len(kept.bodies) == 1 else kept.name,
        bodies=() if full else tuple(sorted(bodies)),
        hidden_bodies=tuple(sorted({body for part in (kept, *others) for body in part.hidden_bodies})),
        zones=(*kept.zones, *(zone for part in others for zone in part.zones if zone.body is not None)),
    )
    return removed(job, spots_of(job, [part.id for part in others])), first_spot(kept)


def _zones_for(part: Part, bodies: Sequence[int]) -> tuple[Zone, ...]:
    """Return the zones that go with some bodies of a part: not those that are another body."""
    return tuple(zone for zone in part.zones if zone.body is None or zone.body in bodies)


def _own(part: Part, count: int) -> set[int]:
    return set(part.bodies or range(count))


def with_bodies_hidden(job: Job, part: str, bodies: Sequence[int], *, hidden: bool) -> Job:
    """Hide bodies of a part, or show them; they are printed all the same."""
    now = set(part_of(job, part).hidden_bodies)
    now = now | set(bodies) if hidden else now - set(bodies)
    return with_part(job, part, hidden_bodies=tuple(sorted(now)))
