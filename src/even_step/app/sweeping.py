"""A sweep in the background: the job measured once for each of some values, one after the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import MeasureJob
from even_step.core.catalogue.setting import Value
from even_step.core.job.model import Job
from even_step.core.trials.figures import Row

Tried = Sequence[tuple[dict[str, Value], Job]]
Best = Callable[[Job, Sequence[Row]], Row | None]


@dataclass(frozen=True, eq=False)
class Sweep:
    """What is tried, of which job, which figure is looked at first, and which row is best, where one is looked for."""

    job: Job
    tried: Tried
    figure: str
    best: Best | None = None

    @property
    def keys(self) -> tuple[str, ...]:
        """The settings that are swept."""
        return tuple(self.tried[0][0])


class Sweeping(QObject):
    """The sweep under way or done, with a row for each value that was measured; one sweep at a time.

    A slice that is asked for meanwhile comes before the values that are left.
    """

    changed = Signal()
    failed = Signal(str)

    def __init__(self, worker: WorkerClient, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._task: Task | None = None
        self.sweep: Sweep | None = None
        self.rows: list[Row] = []

    @property
    def running(self) -> bool:
        """Whether there are values left that will be measured."""
        return self._task is not None

    def start(self, sweep: Sweep) -> None:
        """Begin a sweep; one under way is called off, and its rows go."""
        self.stop()
        self.sweep, self.rows = sweep, []
        self._go_on()

    def stop(self) -> None:
        """Call off what is under way; the rows that are done stay."""
        if self._task:
            self._worker.call_off(self._task)
            self._task = None
            self.changed.emit()

    def forget(self) -> None:
        """Let the sweep go, for another job was opened."""
        self.stop()
        self.sweep, self.rows = None, []
        self.changed.emit()

    @property
    def best(self) -> Row | None:
        """The row that was looked for, once all are there."""
        sweep = self.sweep
        if sweep is None or sweep.best is None or len(self.rows) < len(sweep.tried):
            return None
        return sweep.best(sweep.job, self.rows)

    def _go_on(self) -> None:
        sweep = self.sweep
        if sweep is None or len(self.rows) >= len(sweep.tried):
            self._task = None
            self.changed.emit()
            return
        values, job = sweep.tried[len(self.rows)]

        def done(row: Row, _: dict[str, NDArray[Any]]) -> None:
            if task is self._task:
                self.rows.append({**values, **row})
                self._go_on()

        def failed(message: str) -> None:
            if task is self._task:
                self._task = None
                self.failed.emit(message)
                self.changed.emit()

        task: Task = self._worker.ask(MeasureJob(job), done=done, failed=failed)
        self._task = task
        self.changed.emit()
