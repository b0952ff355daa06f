"""The one place that holds the job: edits swap it, views listen."""

from __future__ import annotations

import time
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from even_step.core.job.model import Job

MOST_STEPS = 500
JOINED_WITHIN = 1.0  # s: edits with the same join key this close are one step of undo


@dataclass(frozen=True)
class Change:
    """The job was swapped: from which to which, and what is said of it."""

    old: Job
    new: Job
    name: str

    def touches(self, *fields: str) -> bool:
        """Whether any of some fields of the job is another than before."""
        return any(getattr(self.old, field) is not getattr(self.new, field) for field in fields)


@dataclass(frozen=True)
class _Step:
    name: str
    job: Job


class JobStore(QObject):
    """The current job and the earlier ones that undo goes back to."""

    changed = Signal(object)

    def __init__(self, job: Job, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._job = job
        self._saved: Job | None = job
        self._past: list[_Step] = []
        self._future: list[_Step] = []
        self._joined = ("", 0.0)

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._job

    @property
    def undo_name(self) -> str:
        """What undo would undo; empty when there is nothing."""
        return self._past[-1].name if self._past else ""

    @property
    def redo_name(self) -> str:
        """What redo would do again; empty when there is nothing."""
        return self._future[-1].name if self._future else ""

    @property
    def is_saved(self) -> bool:
        """Whether the job is the one that was last saved or opened."""
        return self._job == self._saved

    def do(self, name: str, job: Job, join: str = "", *, held: str = "") -> None:
        """Swap the job. A job that is equal is no step.

        Edits with one ``join`` key in quick turn are one step, and so are those of one gesture, however long it is
        ``held``; a gesture that ends where it began is none.
        """
        if job == self._job:
            return
        now, join = time.monotonic(), held or join
        quick = bool(held) or now - self._joined[1] < JOINED_WITHIN
        joins = bool(join) and self._joined[0] == join and quick and bool(self._past)
        if joins and held and job == self._past[-1].job:
            self._past.pop()
            self._joined = "", 0.0
            self._swap(name, job)
            return
        if not joins:
            self._past.append(_Step(name, self._job))
            del self._past[:-MOST_STEPS]
        self._future.clear()
        self._joined = join, now
        self._swap(name, job)

    def undo(self) -> None:
        """Go back one step."""
        if self._past:
            step = self._past.pop()
            self._future.append(_Step(step.name, self._job))
            self._joined = "", 0.0
            self._swap(f"undo {step.name}", step.job)

    def redo(self) -> None:
        """Take back an undo."""
        if self._future:
            step = self._future.pop()
            self._past.append(_Step(step.name, self._job))
            self._swap(step.name, step.job)

    def open(self, job: Job) -> None:
        """Take another job as one step, so that undo brings back the one before."""
        self._saved = job
        if self._job.parts or self._past:
            self._past.append(_Step(f"open {job.name}", self._job))
        self._future.clear()
        self._joined = "", 0.0
        self._swap(f"open {job.name}", job)

    def mark_saved(self, job: Job) -> None:
        """Note that a job was saved."""
        self._saved = job
        self.changed.emit(Change(self._job, self._job, "save"))

    def mark_unsaved(self) -> None:
        """Note that the job is nowhere saved."""
        self._saved = None
        self.changed.emit(Change(self._job, self._job, "recover"))

    def _swap(self, name: str, job: Job) -> None:
        old, self._job = self._job, job
        self.changed.emit(Change(old, job, name))
