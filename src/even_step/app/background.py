"""Short geometry beside the window: done in a thread, its result handed to the window's own."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, TypeVar

from PySide6.QtCore import QObject, Signal

T = TypeVar("T")
THREADS = 2


class Background(QObject):
    """A few threads for work of milliseconds. Work under a topic replaces what waits under it."""

    _finished = Signal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(THREADS, thread_name_prefix="background")
        self._closed = False
        self._newest: dict[str, Future[Any]] = {}
        self._finished.connect(self._hand_over)

    def run(self, topic: str, work: Callable[[], T], then: Callable[[T], None]) -> None:
        """Do some work, then hand its result over, unless newer work came under the topic meanwhile."""
        if self._closed:
            return
        self.forget(topic)
        future = self._pool.submit(work)
        self._newest[topic] = future

        def arrived(done: Future[T]) -> None:
            if not done.cancelled():
                self._finished.emit((topic, done), then)

        future.add_done_callback(arrived)

    def forget(self, topic: str) -> None:
        """Let go of what waits or runs under a topic: its result is not wanted any more."""
        before = self._newest.pop(topic, None)
        if before:
            before.cancel()

    def _hand_over(self, arrived: tuple[str, Future[Any]], then: Callable[[Any], None]) -> None:
        topic, future = arrived
        if self._newest.get(topic) is future:
            del self._newest[topic]
            then(future.result())

    @property
    def busy(self) -> bool:
        """Whether anything is under way."""
        return bool(self._newest)

    def close(self) -> None:
        """Let go of what waits and wait for what runs."""
        self._closed = True
        self._newest.clear()
        self._pool.shutdown(wait=True, cancel_futures=True)
