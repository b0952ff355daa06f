"""The voids of the layer in hand, asked of the worker once the view rests on it."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.desk import Desk
from even_step.app.trials import Trial
from even_step.app.work.client import Task
from even_step.app.work.requests import FindVoids

REST = 250  # ms
KEPT = 200


class Voids(QObject):
    """Keeps voids by trial and layer."""

    changed = Signal()

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._found: dict[tuple[int, int], dict[str, NDArray[Any]]] = {}
        self._task: Task | None = None
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._ask)
        desk.view.changed.connect(lambda _: self._rest.start())
        desk.trials.shown_changed.connect(self._rest.start)

    def of(self, trial: Trial | None, layer: int) -> dict[str, NDArray[Any]] | None:
        """Return the rings of a layer's voids, none while they are not known."""
        return self._found.get((trial.number, layer)) if trial else None

    def _ask(self) -> None:
        trial, view = self._desk.trials.shown, self._desk.view
        key = (trial.number if trial else 0, view.layers[1])
        if trial is None or not view.section or view.station != "Layers" or key in self._found:
            return
        if self._task and self._task.state in {"queued", "running"}:
            self._desk.worker.call_off(self._task)

        def done(_: int, rings: dict[str, NDArray[Any]]) -> None:
            self._found[key] = rings
            while len(self._found) > KEPT:
                self._found.pop(next(iter(self._found)))
            self.changed.emit()

        self._task = self._desk.worker.ask(FindVoids(trial.job, view.layers[1]), done=done)
