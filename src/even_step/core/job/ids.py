"""Ids of what can be pointed at: given once from a counter in the job, saved with it, never given again.

Names are for people, places in a list change; whatever refers to a bed, a part or a copy holds its id.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

if TYPE_CHECKING:
    from even_step.core.job.model import Part

#: Of letters, digits, ``_``, ``.`` and ``-``; empty where none has been given yet.
Id = Annotated[str, Field(max_length=40, pattern=r"^[A-Za-z0-9_.-]*$")]
GIVEN = re.compile(r"[bpc](\d{1,15})")


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
    """Return parts, beds and the counter with an id of its own for each bed, part and copy."""
    count = 1 + max((copy.bed for part in parts for copy in part.copies), default=0)
    used = [*beds, *(part.id for part in parts), *(copy.id for part in parts for copy in part.copies)]
    if len(beds) >= count and all(used) and len(set(used)) == len(used):
        return parts, beds, Ids(given, used).given
    ids = Ids(given, used)
    beds = tuple(ids.own(bed, "b") for bed in (*beds, *("",) * (count - len(beds))))
    return tuple(_identified(part, ids) for part in parts), beds, ids.given


def _identified(part: Part, ids: Ids) -> Part:
    own = ids.own(part.id, "p")
    copies = [(copy, ids.own(copy.id, "c")) for copy in part.copies]
    if own == part.id and all(name == copy.id for copy, name in copies):
        return part
    return part.model_copy(
        update={
            "id": own,
            "copies": tuple(copy if name == copy.id else copy.model_copy(update={"id": name}) for copy, name in copies),
        }
    )


def first_double(ids: Iterable[str]) -> str | None:
    """Return the first id that stands twice in a list; empty ones do not count."""
    seen: set[str] = set()
    for one in ids:
        if one and one in seen:
            return one
        seen.add(one)
    return None
