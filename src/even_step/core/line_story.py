"""What there is to tell of a line: read by a window that has no engine loaded."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Reason:
    """One thing about a line: what it is called, how much it is, and why.

    ``key`` is the setting that decides it, empty where none does; ``origin`` where the value of that comes from, as in
    ``Resolved``.
    """

    what: str
    value: str
    why: str
    key: str = ""
    origin: str = ""


@dataclass(frozen=True)
class LineStory:
    """What there is to tell of a line; ``findings`` are the numbers of those that it belongs to.

    ``part_id`` is empty for what is no part's; ``layer`` is that of the bed.
    """

    role: str
    part_id: str
    copy_id: str
    layer: int
    zones: tuple[str, ...]
    reasons: tuple[Reason, ...]
    findings: tuple[int, ...]
