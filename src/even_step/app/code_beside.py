"""The G-code of the layer in hand, asked of the worker once the view rests on it, and the line in hand in it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.trials import Trial, Trials
from even_step.app.view import View
from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import AskCode

REST = 120  # ms


class CodeBeside(QObject):
    """Follows the layer in hand while the view shows its code; ``text`` is none while it is not known.

    ``fault`` says why it cannot be.
    """

    changed = Signal()

    def __init__(self, trials: Trials, view: View, worker: WorkerClient, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._trials, self._view, self._worker = trials, view, worker
        self.text: str | None = None
        self.fault = ""
        self._line: NDArray[np.int64] = np.empty(0, np.int64)
        self._of: tuple[Trial, int] | None = None
        self._task: Task | None = None
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._ask)
        trials.shown_changed.connect(self._follow)
        view.changed.connect(lambda piece: self._follow() if piece in {"layers", "code", "station"} else None)

    @property
    def line(self) -> int:
        """The line of the text that comes to where the path in hand ends, from 0."""
        if len(self._line) == 0:
            return 0
        return int(self._line[max(0, min(round(self._view.along * len(self._line)), len(self._line)) - 1)])

    def go_to(self, line: int) -> None:
        """Go along the path to where a line of the text leads."""
        if self.text is not None and len(self._line):
            at = int(np.searchsorted(self._line, line))
            self._view.set("along", min(at + 1, len(self._line)) / len(self._line))

    def _wanted(self) -> tuple[Trial, int] | None:
        trial, view = self._trials.shown, self._view
        if not view.code or view.station != "Layers" or trial is None or trial.lines is None or not trial.lines.count:
            return None
        return trial, min(view.layers[1], trial.lines.count - 1)

    def _follow(self) -> None:
        if self._wanted() != self._of:
            if self._task and self._task.state in {"queued", "running"}:
                self._worker.call_off(self._task)
            self._of, self._task, self.text, self._line, self.fault = None, None, None, np.empty(0, np.int64), ""
            self.changed.emit()
            self._rest.start()

    def _ask(self) -> None:
        wanted = self._wanted()
        if wanted is None or wanted == self._of:
            return
        self._of = wanted

        def done(text: str, arrays: dict[str, NDArray[Any]]) -> None:
            if task is self._task:
                self.text, self._line = text, arrays["line"]
                self.changed.emit()

        def failed(fault: str) -> None:
            if task is self._task:
                self.fault = fault
                self.changed.emit()

        task: Task = self._worker.ask(AskCode(wanted[0].job, wanted[1]), done=done, failed=failed)
        self._task = task
