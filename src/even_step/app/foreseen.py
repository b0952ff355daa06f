"""The supports that the job will have, asked of the worker while the station Supports is open."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.shelf import ModelShelf
from even_step.app.store import JobStore
from even_step.app.view import View
from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import ForeseeSupports
from even_step.core.job.beds import on_bed
from even_step.core.job.cascade import cascade, complaints
from even_step.core.job.model import Job

if TYPE_CHECKING:
    from even_step.core.preview import Foreseen

REST = 120  # ms without an edit
NOTHING: NDArray[np.float32] = np.empty((0, 3, 3), np.float32)


class ForeseenSupports(QObject):
    """Columns on the bed in view, and what they hold, part by part; replaced as the job is edited."""

    changed = Signal()

    def __init__(
        self, store: JobStore, view: View, shelf: ModelShelf, worker: WorkerClient, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._store, self._view, self._shelf, self._worker = store, view, shelf, worker
        self.corners = NOTHING
        self.parts: dict[str, Foreseen] = {}
        self._of: Job | None = None  # the job they are of
        self._task: Task | None = None
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._ask)
        store.changed.connect(lambda _: self._rest.start())
        view.changed.connect(self._follow_view)
        shelf.arrived.connect(lambda _: self._rest.start())

    @property
    def is_known(self) -> bool:
        """Whether they are of the job as it is."""
        return self._of is not None and self._of == self._job

    @property
    def _job(self) -> Job:
        return on_bed(self._store.job, self._view.bed)

    def _follow_view(self, piece: str) -> None:
        if piece == "bed":  # columns of another bed are not to be seen on this one
            self._of, self.corners, self.parts = None, NOTHING, {}
            self.changed.emit()
        if piece in {"station", "bed"}:
            self._rest.start()

    def _ask(self) -> None:
        job = self._job
        if self._view.station != "Supports" or self._of == job:
            return
        if self._task and self._task.state in {"queued", "running"}:
            self._worker.call_off(self._task)
        if not job.parts or not self._shelf.has_all(job.parts) or complaints(job, cascade(job)):
            self._take(job, (), NOTHING)
            return

        def done(parts: tuple[Foreseen, ...], arrays: dict[str, NDArray[Any]]) -> None:
            self._take(job, parts, arrays["corners"])

        self._task = self._worker.ask(ForeseeSupports(job), done=done, failed=lambda _: self._take(job, (), NOTHING))

    def _take(self, job: Job, parts: tuple[Foreseen, ...], corners: NDArray[np.float32]) -> None:
        self._of, self.corners = job, corners
        self.parts = {one.part: one for one in parts}
        self.changed.emit()
        if not self.is_known:  # it was changed, or changed back, meanwhile
            self._rest.start()
