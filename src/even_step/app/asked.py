"""What the worker is asked of the job as it is, again whenever that changes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.shelf import ModelShelf
from even_step.app.store import JobStore
from even_step.app.view import View
from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import Wish
from even_step.core.job.beds import on_bed
from even_step.core.job.cascade import cascade, complaints
from even_step.core.job.model import Job


@dataclass(frozen=True, eq=False)
class Sources:
    """The job, what is seen of it, its models, and whom to ask."""

    store: JobStore
    view: View
    shelf: ModelShelf
    worker: WorkerClient


class Asked(QObject):
    """Asks once nothing has changed for a while; a newer wish calls off what is under way for an older one."""

    changed = Signal()

    def __init__(self, sources: Sources, rest: int, parent: QObject | None = None) -> None:
        """``rest`` is for how long nothing must have changed, ms."""
        super().__init__(parent)
        self._sources, self._view = sources, sources.view
        self.of: Wish | None = None  # what is known is the answer to
        self._task: Task | None = None
        self._rest = QTimer(self, singleShot=True, interval=rest)
        self._rest.timeout.connect(self._ask)
        sources.store.changed.connect(lambda _: self._rest.start())
        sources.shelf.arrived.connect(lambda _: self._rest.start())
        sources.view.changed.connect(self.follow_view)

    @property
    def job(self) -> Job:
        """The job of the bed in view."""
        return on_bed(self._sources.store.job, self._view.bed)

    def wish(self) -> Wish | None:
        """Return what is to be known now, none where nothing is."""
        raise NotImplementedError

    def take(self, facts: Any, arrays: dict[str, NDArray[Any]]) -> None:
        """Take an answer; an empty one where there is none to be had."""
        raise NotImplementedError

    def follow_view(self, piece: str) -> None:
        """Look again after a change of the view."""
        if piece in {"station", "bed"}:
            self._rest.start()

    def _ask(self) -> None:
        wish = self.wish()
        if wish is None or wish == self.of:
            return
        if self._task and self._task.state in {"queued", "running"}:
            self._sources.worker.call_off(self._task)
        job = wish.job
        if not self._sources.shelf.has_all(job.parts):
            return  # it is asked once they have arrived
        if not job.parts or complaints(job, cascade(job)):
            self._answered(wish, None, {})
            return
        self._task = self._sources.worker.ask(
            wish,
            done=lambda facts, arrays: self._answered(wish, facts, arrays),
            failed=lambda _: self._answered(wish, None, {}),
        )

    def _answered(self, wish: Wish, facts: Any, arrays: dict[str, NDArray[Any]]) -> None:
        self.of = wish
        self.take(facts, arrays)
        self.changed.emit()
        now = self.wish()
        if now is not None and now != wish:  # it was changed, or changed back, meanwhile
            self._rest.start()
