"""Everything the core raises on purpose.

EvenStepError
├── InputError        a file that cannot be read, or does not hold what it should
├── SettingError      a value out of its range, an unknown key, a choice that does not exist
├── JobError          a job whose pieces do not fit together
├── GeometryError     an outline that could not be worked out, in a layer of a part
├── OutputError       a file that could not be written
└── Cancelled         the request was called off
"""

from __future__ import annotations

from pathlib import Path


class EvenStepError(Exception):
    """What went wrong, where, and what to do about it.

    Parameters
    ----------
    message
        What is wrong, in one sentence.
    subject
        The file, part or setting it is about.
    remedy
        What the user can do.
    """

    exit_code = 2

    def __init__(self, message: str, *, subject: str | Path = "", remedy: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.subject = str(subject)
        self.remedy = remedy

    @property
    def told(self) -> str:
        """What is wrong and what to do, for whoever sees what it is about."""
        return f"{self.message}; {self.remedy}" if self.remedy else self.message

    def __str__(self) -> str:
        """One line: subject, message, remedy."""
        head = f"{self.subject}: " if self.subject else ""
        tail = f" ({self.remedy})" if self.remedy else ""
        return " ".join(f"{head}{self.message}{tail}".split())


class InputError(EvenStepError):
    """A file cannot be read, or does not hold what it should."""


class SettingError(EvenStepError):
    """A setting has an unknown key or a value it cannot take."""


class JobError(EvenStepError):
    """The pieces of a job do not fit together."""


class GeometryError(EvenStepError):
    """An outline could not be worked out, by any means there is; ``height`` is that of its layer in mm, if known."""

    exit_code = 3

    def __init__(
        self, message: str, *, subject: str | Path = "", remedy: str = "", height: float | None = None
    ) -> None:
        super().__init__(message, subject=subject, remedy=remedy)
        self.height = height


class OutputError(EvenStepError):
    """A file could not be written; nothing of it is left."""

    exit_code = 3


class Cancelled(EvenStepError):  # noqa: N818 - it is an outcome the user asked for, not a fault
    """The request was called off before it was done."""

    exit_code = 3

    def __init__(self) -> None:
        super().__init__("cancelled")
