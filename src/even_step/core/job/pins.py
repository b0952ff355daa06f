"""What is kept of looking at a job, without which it prints just the same: pins, and findings that were set aside."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from even_step.core.job.ids import Id
from even_step.core.job.value import Frozen, Point

MOST_PINS = 500
MOST_WORDS = 1000
Words = Annotated[str, Field(max_length=MOST_WORDS)]


class Pin(Frozen):
    """A place that is looked at again after every slice, with a note and what came of it in print.

    ``at`` is in the frame of its part, mm (the file's numbers times its unit, before size and turn); ``copy_id`` says
    on which copy it was put. What is no part's lies on the bed.
    """

    at: Point
    part: Id = ""
    copy_id: Id = ""
    note: Words = ""
    printed: Words = ""


class SetAside(Frozen):
    """Findings of a kind about a copy that are known and no longer told with the others, and why."""

    code: Annotated[str, Field(min_length=1, max_length=60)]
    part: Id = ""
    copy_id: Id = ""
    note: Words = ""

    def holds(self, code: str, part: str, copy: str) -> bool:
        """Tell whether a finding is one of them."""
        return (self.code, self.part, self.copy_id) == (code, part, copy)
