"""Parts cut open at a height before they are sliced: the face of the cut, asked of the worker."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.shelf import ModelShelf
from even_step.app.store import JobStore
from even_step.app.view import View
from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import CutParts
from even_step.core.job.beds import on_bed
from even_step.core.job.cascade import cascade, complaints
from even_step.core.job.model import Job

REST = 40  # ms without an edit or a step of the cut
AT = frozenset({"Parts", "Recipe"})  # stations in which parts can be cut open
LEAST = 0.05  # mm; a cut lower than that is there


@dataclass(frozen=True, eq=False)
class CutFace:
    """The face of a cut: triangles on the bed (T, 3, 3), mm, and runs of them (first, count, tint).

    A tint of 0 lies in no zone; zones next to each other take 1 and 2 in turn.
    """

    corners: NDArray[np.float32]
    runs: tuple[tuple[int, int, int], ...]

    @classmethod
    def of(cls, corners: NDArray[np.float32], zone: NDArray[np.int64], height: float) -> CutFace:
        """Make one of triangles (T, 3, 2) and the zone of each, less than 0 for none."""
        tint = np.where(zone < 0, 0, 1 + zone % 2)
        order = np.argsort(tint, kind="stable")
        flat = corners[order]
        deep = np.concatenate((flat, np.full((*flat.shape[:2], 1), height, np.float32)), axis=2)
        firsts = np.searchsorted(tint[order], range(4))
        runs = ((int(a), int(b - a), k) for k, (a, b) in enumerate(pairwise(firsts)))
        return cls(deep, tuple(run for run in runs if run[1]))


class CutOpen(QObject):
    """How high the parts are cut open, and the face of the cut; replaced as the job is edited."""

    changed = Signal()

    def __init__(
        self, store: JobStore, view: View, shelf: ModelShelf, worker: WorkerClient, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._store, self._view, self._shelf, self._worker = store, view, shelf, worker
        self._face: CutFace | None = None
        self._of: tuple[Job, float] | None = None  # the job and height it is of
        self._task: Task | None = None
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._ask)
        store.changed.connect(lambda _: self._rest.start())
        shelf.arrived.connect(lambda _: self._rest.start())
        view.changed.connect(self._follow_view)

    @property
    def at(self) -> float:
        """Over which height nothing is shown, mm; infinite where nothing is cut."""
        return self._view.cut if self._view.cut > 0.0 and self._view.station in AT else np.inf

    @property
    def face(self) -> CutFace | None:
        """The face of the cut, none while it is looked for."""
        return self._face if self._of and self._of[1] == self.at else None

    def put(self, height: float, tallest: float) -> None:
        """Cut at a height; nothing where that is over all parts."""
        self._view.set("cut", 0.0 if height >= tallest else max(round(height, 2), LEAST))

    def _follow_view(self, piece: str) -> None:
        if piece in {"cut", "station", "bed"}:
            self._rest.start()

    def _ask(self) -> None:
        job, at = on_bed(self._store.job, self._view.bed), self.at
        if not np.isfinite(at) or self._of == (job, at):
            return
        if self._task and self._task.state in {"queued", "running"}:
            self._worker.call_off(self._task)
        if not job.parts or not self._shelf.has_all(job.parts) or complaints(job, cascade(job)):
            self._take(None, None)
            return

        def done(_: object, arrays: dict[str, NDArray[Any]]) -> None:
            self._take((job, at), CutFace.of(arrays["corners"], arrays["zone"], at))

        self._task = self._worker.ask(CutParts(job, at), done=done, failed=lambda _: self._take(None, None))

    def _take(self, of: tuple[Job, float] | None, face: CutFace | None) -> None:
        self._of, self._face = of, face
        self.changed.emit()
