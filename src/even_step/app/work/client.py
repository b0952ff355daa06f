"""The window's end of the line to the worker process."""

from __future__ import annotations

import contextlib
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import count
from multiprocessing.connection import Connection
from typing import Any, Literal

from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.work.entry import Started, start
from even_step.app.work.requests import Answer, Begin, CallOff, Fresh, GoHome, Heartbeat, Progress, Request, StartOver
from even_step.app.work.shared import receive_arrays

State = Literal["queued", "running", "cancelling", "done", "cancelled", "failed"]
PATIENCE = 1.0  # s that a worker gets to leave on its own
RELEASE_PATIENCE = 5.0  # s that it gets to put everything away
SILENCE = 15.0  # s without a word from a worker that has something to do, after which it is taken for stuck
STARTUP_ALLOWANCE = 60.0  # s more that it gets for its first word
LOOKS = 1000  # ms from one look at that to the next
TRIES = 3  # workers lost without a single answer, after which no further one is started


def _ignore(*_: Any) -> None:
    """Do nothing."""


@dataclass(eq=False)
class Task:
    """One request on its way, and whom to tell."""

    number: int
    request: Request
    done: Callable[[Any, dict[str, NDArray[Any]]], None] = _ignore
    failed: Callable[[str], None] = _ignore
    cancelled: Callable[[], None] = _ignore
    progress: Callable[[str, float], None] = _ignore
    state: State = "queued"
    place: tuple[str, float] | None = None  # part and height at which it failed


@dataclass(eq=False)
class _Reader:
    """Reads what one worker sends, in a thread of its own, until the line breaks."""

    connection: Connection
    arrived: Callable[[object, object], None]
    heard: Callable[[], None]
    broken: Callable[[], None]
    thread: threading.Thread = field(init=False)

    def __post_init__(self) -> None:
        self.thread = threading.Thread(target=self._read, name="from worker", daemon=True)
        self.thread.start()

    def _read(self) -> None:
        try:
            while True:
                message = self.connection.recv()
                if isinstance(message, Fresh):
                    return
                self.heard()
                if isinstance(message, Heartbeat):
                    continue
                layout = message.layout if isinstance(message, Answer) else ()
                self.arrived(message, receive_arrays(self.connection, layout))
        except Exception as error:  # noqa: BLE001 - whatever it is, nothing more can be read from this line
            if not isinstance(error, EOFError | OSError):
                traceback.print_exc()
            with contextlib.suppress(RuntimeError):  # at the very end the client may be gone already
                self.broken()


class WorkerClient(QObject):
    """Asks the worker and hands its answers to whoever asked; starts another when it dies.

    A worker that says nothing for long although it has something to do is ``stuck``: it can be replaced.
    """

    lost = Signal(str)
    stuck_changed = Signal()
    _message = Signal(int, object, object)
    _broken = Signal(int)

    def __init__(self, first: Started | None = None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._numbers = count(1)
        self._tasks: dict[int, Task] = {}
        self._generation = 0
        self._fruitless = 0
        self._closing = False
        self.stuck = False
        self._heard = 0.0
        self.gone = False  # for good: no further one is started
        self._message.connect(self._take)
        self._broken.connect(self._start_another)
        self._start(first)
        self._looks = QTimer(self)
        self._looks.timeout.connect(self._look)
        self._looks.start(LOOKS)

    @property
    def pid(self) -> int:
        """The worker's process number."""
        return int(self._process.pid or 0)

    def _start(self, started: Started | None = None) -> None:
        self._generation += 1
        generation = self._generation
        started = started or start()
        self._line, self._process = started.line, started.process
        self._heard = time.monotonic() + STARTUP_ALLOWANCE
        self._reader = _Reader(
            self._line,
            lambda message, arrays: self._message.emit(generation, message, arrays),
            self._hear,
            lambda: self._broken.emit(generation),
        )

    def _hear(self) -> None:
        """Note, in the reader's thread, that the worker said something."""
        self._heard = time.monotonic()

    def _look(self) -> None:
        """See whether the worker is stuck: what is silent with nothing to do is not asked after."""
        stuck = bool(self._tasks) and time.monotonic() - self._heard > SILENCE
        if stuck != self.stuck:
            self.stuck = stuck
            self.stuck_changed.emit()

    def replace(self) -> None:
        """End the worker, whatever it is doing; another one is started, and whoever waits is told."""
        self._process.kill()

    def ask(self, request: Request, **tell: Any) -> Task:
        """Send a request; ``tell`` names what is called when it is done, failed, cancelled, or gets on."""
        task = Task(next(self._numbers), request, **tell)
        if self.gone:
            task.state = "failed"
            QTimer.singleShot(0, self, lambda: task.failed("the worker process is gone; start Even Step anew"))
            return task
        self._tasks[task.number] = task
        self._send(Begin(task.number, request))
        return task

    def call_off(self, task: Task) -> None:
        """Ask for a request to stop; it is cancelled once the worker says so."""
        if task.number in self._tasks and task.state != "cancelling":
            task.state = "cancelling"
            self._send(CallOff(task.number))

    def _send(self, message: object) -> None:
        try:
            self._line.send(message)
        except OSError:
            return  # the reader notices too, and tells

    def _take(self, generation: int, message: object, arrays: dict[str, NDArray[Any]]) -> None:
        if generation != self._generation:
            return
        self._fruitless = 0
        if isinstance(message, Progress) and message.number in self._tasks:
            task = self._tasks[message.number]
            task.state = "running" if task.state == "queued" else task.state
            task.progress(message.stage, message.share)
        elif isinstance(message, Answer) and message.number in self._tasks:
            task = self._tasks.pop(message.number)
            # What was called off is wanted by nobody, though it was done before the worker heard of it.
            late = task.state == "cancelling" and message.outcome == "done"
            task.state = "cancelled" if late else message.outcome
            if task.state == "done":
                task.done(message.facts, arrays)
            elif task.state == "cancelled":
                task.cancelled()
            else:
                task.place = message.place
                task.failed(str(message.facts))

    def _start_another(self, generation: int) -> None:
        if self._closing or generation != self._generation:
            return
        orphans, self._tasks = list(self._tasks.values()), {}
        self._process.join(PATIENCE)
        self._line.close()
        self._fruitless += 1
        if self._fruitless < TRIES:
            self._start()
            self.lost.emit("The worker process stopped. Nothing is lost; another one has been started.")
        else:
            self.gone = True
            self.lost.emit("The worker process stopped again and again. Save the job and start Even Step anew.")
        for task in orphans:
            task.state = "failed"
            # Told later, for whoever asked may be in the middle of asking.
            QTimer.singleShot(0, self, lambda task=task: task.failed("the worker process stopped"))

    def release(self) -> Started | None:
        """Let the worker go as fresh as it came, for another client; none where it is not to be had any more."""
        if self._closing or not self._process.is_alive():
            return None
        self._closing = True
        self._looks.stop()
        self._tasks.clear()
        self._send(StartOver())
        self._reader.thread.join(RELEASE_PATIENCE)
        if not self._reader.thread.is_alive() and self._process.is_alive():
            return Started(self._process, self._line)
        self._closing = False
        self._looks.start(LOOKS)
        return None

    def close(self) -> None:
        """Send the worker home. The line is closed last, for the reader sits on it until the worker is gone."""
        if self._closing:
            return
        self._closing = True
        self._looks.stop()  # whatever thread collects this object may not stop a timer that is not its own
        self._tasks.clear()
        self._send(GoHome())
        self._process.join(PATIENCE)
        if self._process.is_alive():
            self._process.kill()
            self._process.join(PATIENCE)
        self._reader.thread.join(PATIENCE)
        self._line.close()
