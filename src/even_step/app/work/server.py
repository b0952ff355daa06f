"""The worker process: it reads, slices, writes, and tells how far it is. No Qt here."""

from __future__ import annotations

import contextlib
import os
import queue
import signal
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from typing import Any

from even_step.app.work.duties import DUTIES, Memory, Outcome
from even_step.app.work.requests import (
    ASIDE,
    Answer,
    Begin,
    CallOff,
    Fresh,
    GoHome,
    Heartbeat,
    Progress,
    Request,
    StartOver,
)
from even_step.app.work.shared import to_shared_memory
from even_step.core.errors import Cancelled, EvenStepError, GeometryError
from even_step.core.work import crew

THREADS = 2
EVERY = 1.0  # s from one beat to the next
PROTOCOL_BROKEN = 3  # exit code


@dataclass
class Line:
    """The way back to the window, shared by the threads."""

    connection: Connection
    lock: threading.Lock = field(default_factory=threading.Lock)

    def tell(self, message: object) -> None:
        """Send a message."""
        with self.lock:
            self.connection.send(message)

    def answer(self, number: int, outcome: Outcome) -> None:
        """Send what a request came to, with its arrays.

        Raises
        ------
        MemoryError
            When there is none to share the arrays in. Nothing has been said then.
        """
        block = to_shared_memory(outcome.arrays)
        try:
            with self.lock:
                self.connection.send(Answer(number, "done", outcome.facts, layout=block.layout))
                try:
                    block.hand_over(self.connection)
                except Exception:  # noqa: BLE001 - whatever it is, the line is out of step
                    # The other end waits for the block and would take the next message for it.
                    traceback.print_exc()
                    os._exit(PROTOCOL_BROKEN)
        finally:
            block.close()

    def beat(self) -> None:
        """Say every second that somebody is here, until the line breaks."""
        with contextlib.suppress(OSError, ValueError):
            while True:
                self.tell(Heartbeat())
                time.sleep(EVERY)


@dataclass
class Open:
    """The requests that have come and are not answered yet, and those of them that were called off."""

    numbers: set[int] = field(default_factory=set)
    called_off: set[int] = field(default_factory=set)
    answered: threading.Condition = field(default_factory=threading.Condition)

    def begin(self, number: int) -> None:
        """Note a request that came."""
        with self.answered:
            self.numbers.add(number)

    def end(self, number: int) -> None:
        """Forget a request that was answered."""
        with self.answered:
            self.numbers.discard(number)
            self.called_off.discard(number)
            self.answered.notify_all()

    def call_off(self, number: int) -> None:
        """Call off a request that is not answered yet; another client's may have its number later."""
        with self.answered:
            self.called_off |= {number} & self.numbers

    def call_off_all(self) -> None:
        """Call off every request and wait until all have been answered."""
        with self.answered:
            self.called_off |= self.numbers
            self.answered.wait_for(lambda: not self.numbers)


@dataclass
class Lane:
    """Requests that wait for the threads of a lane; those that were called off are passed over."""

    line: Line
    memory: Memory
    open: Open
    waiting: queue.SimpleQueue[Begin | None] = field(default_factory=queue.SimpleQueue)

    def work(self) -> None:
        """Do what comes until there is nothing more."""
        while (begin := self.waiting.get()) is not None:
            self._do(begin.number, begin.request)

    def _do(self, number: int, request: Request) -> None:
        last = [("", -1.0)]

        def progress(stage: str, share: float) -> None:
            if stage != last[0][0] or share - last[0][1] >= 0.01:
                last[0] = stage, share
                self.line.tell(Progress(number, stage, share))

        try:
            with crew(THREADS, progress, lambda: number in self.open.called_off) as hands:
                hands.look()
                duty: Callable[..., Outcome] = DUTIES[type(request)]
                outcome = duty(request, self.memory, hands)
                hands.look()
            self.line.answer(number, outcome)
        except Cancelled:
            self.line.tell(Answer(number, "cancelled"))
        except GeometryError as error:
            place = None if error.height is None else (error.subject, error.height)
            self.line.tell(Answer(number, "failed", str(error), place))
        except EvenStepError as error:
            self.line.tell(Answer(number, "failed", str(error)))
        except MemoryError:
            self.line.tell(Answer(number, "failed", "there is not enough memory for this"))
        except Exception as error:  # noqa: BLE001 - whatever breaks, the window is told and the worker goes on
            traceback.print_exc()
            self.line.tell(Answer(number, "failed", f"something broke inside: {error!r}"))
        finally:
            self.open.end(number)


def serve(connection: Any) -> None:
    """Work until the window sends the worker home, or the line breaks."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    line, memory, requests = Line(connection), Memory(), Open()
    slow, aside = Lane(line, memory, requests), Lane(line, memory, requests)
    threads = [threading.Thread(target=lane.work, daemon=True) for lane in (slow, aside, aside)]
    threads.append(threading.Thread(target=line.beat, daemon=True))
    for thread in threads:
        thread.start()
    try:
        while True:
            message = connection.recv()
            if isinstance(message, GoHome):
                return
            if isinstance(message, CallOff):
                requests.call_off(message.number)
            elif isinstance(message, StartOver):
                requests.call_off_all()
                memory.clear()
                line.tell(Fresh())
            else:
                requests.begin(message.number)
                (aside if isinstance(message.request, ASIDE) else slow).waiting.put(message)
    except (EOFError, OSError):
        return
