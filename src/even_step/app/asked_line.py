"""The line that was asked why it is as it is, and what there is to tell of it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.trials import Trial, Trials
from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import AskLine
from even_step.core.line_story import LineStory

Place = tuple[float, float, float]


class AskedLine(QObject):
    """One line of the trial shown, by its path; ``place`` is where on the bed it was asked, mm."""

    changed = Signal()

    def __init__(self, trials: Trials, worker: WorkerClient, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._trials, self._worker = trials, worker
        self._trial: Trial | None = None
        self._task: Task | None = None
        self.path, self.place = -1, (0.0, 0.0, 0.0)
        self.story: LineStory | None = None
        trials.shown_changed.connect(self._follow)

    def ask(self, path: int, place: Place) -> None:
        """Ask of a path of the trial shown."""
        trial = self._trials.shown
        if trial is None:
            return
        self._call_off()
        self._trial, self.path, self.place, self.story = trial, path, place, None

        def done(story: LineStory, _: dict[str, NDArray[Any]]) -> None:
            if task is self._task:
                self.story = story
                self.changed.emit()

        task: Task = self._worker.ask(AskLine(trial.job, path, place[:2]), done=done)
        self._task = task
        self.changed.emit()

    def clear(self) -> None:
        """Let go of the line."""
        if self.path >= 0:
            self._call_off()
            self.path, self.story = -1, None
            self.changed.emit()

    def _call_off(self) -> None:
        if self._task and self._task.state in {"queued", "running"}:
            self._worker.call_off(self._task)
        self._task = None

    def _follow(self) -> None:
        if self._trials.shown is not self._trial:
            self.clear()

    @property
    def points(self) -> NDArray[np.float64]:
        """The points of the line on the bed, (n, 3), mm; none while none is asked."""
        trial = self._trials.shown
        if self.path < 0 or trial is None or trial.lines is None:
            return np.empty((0, 3))
        lines = trial.lines
        first, last = np.searchsorted(lines.path, (self.path, self.path + 1))
        own = lines.points[first:last]
        laid = np.flatnonzero(own[:, 3] > 0)  # what comes before is a way to it
        return np.asarray(own[laid[0] if len(laid) else 0 :, :3], np.float64)
