"""Ids of what can be pointed at: given once from a counter in the job, saved with it, never given again.

Names are for people, places in a list change; whatever refers to a bed, a part or a copy holds its id.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from itertools import chain
from typing import TYPE_CHECKING, Annotated, TypeVar

from pydantic import Field

if TYPE_CHECKING:
    from even_step.core.job.by_hand import Mark, Post
    from even_step.core.job.model import Copy, Part
    from even_step.core.job.zones import Zone

#: Of letters, digits, ``_``, ``.`` and ``-``; empty where none has been given yet.
Id = Annotated[str, Field(max_length=40, pattern=r"^[A-Za-z0-9_.-]*$")]
#: Fields of a part whose items have ids, with the letters those begin with.
HELD = {"copies": "c", "zones": "z", "posts": "h", "marks": "h"}
T = TypeVar("T", "Copy", "Zone", "Post", "Mark")
GIVEN = re.compile(r"[bpchz](\d{1,15})")


class Ids:
    """Gives ids that nothing of a job has or had."""

    def __init__(self, given: int, used: Iterable[str]) -> None:
        """Go on after so many given ones; ``used`` are all that the job has."""
        numbers = (int(found[1]) for one in used if (found := GIVEN.fullmatch(one)))
        self.given = max(given, *numbers, 0)
        self._seen: set[str] = set()

    def own(self, wanted: str, letter: str) -> str:
        """Return the wanted id, or a new one where there is none or it is another's already, as after copying."""
        if not wanted or wanted in self._seen:
            self.given += 1
            wanted = f"{letter}{self.given}"
        self._seen.add(wanted)
        return wanted


def identified(
    parts: tuple[Part, ...], beds: tuple[str, ...], given: int
) -> tuple[tuple[Part, ...], tuple[str, ...], int]:
    """Return parts, beds and the counter with an id of its own for each bed, part, copy, zone, post and mark."""
    count = 1 + max((copy.bed for part in parts for copy in part.copies), default=0)
    used = [*beds, *(part.id for part in parts), *(held.id for part in parts for held in holds(part))]
    if len(beds) >= count and all(used) and len(set(used)) == len(used):
        return parts, beds, Ids(given, used).given
    ids = Ids(given, used)
    beds = tuple(ids.own(bed, "b") for bed in (*beds, *("",) * (count - len(beds))))
    return tuple(_identified(part, ids) for part in parts), beds, ids.given


def _identified(part: Part, ids: Ids) -> Part:
    own = ids.own(part.id, "p")
    held = {
        name: tuple(_called(one, ids.own(one.id, letter)) for one in getattr(part, name))
        for name, letter in HELD.items()
    }
    same = own == part.id and all(
        a is b for name, new in held.items() for a, b in zip(new, getattr(part, name), strict=True)
    )
    return part if same else part.model_copy(update={"id": own, **held})


def _called(one: T, name: str) -> T:
    return one if one.id == name else one.model_copy(update={"id": name})


def holds(part: Part) -> Iterator[Copy | Zone | Post | Mark]:
    """Go through all of a part that has an id of its own."""
    return chain.from_iterable(getattr(part, name) for name in HELD)


def first_double(ids: Iterable[str]) -> str | None:
    """Return the first id that stands twice in a list; empty ones do not count."""
    seen: set[str] = set()
    for one in ids:
        if one and one in seen:
            return one
        seen.add(one)
    return None
