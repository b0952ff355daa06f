"""How a long computation is divided, reported and called off."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import Cancelled

R = TypeVar("R")

AHEAD = 8  # runs a thread may have done before they are taken


def _never() -> bool:
    return False


def _silent(stage: str, fraction: float) -> None:
    """Report to nobody."""


@dataclass
class Steps:
    """How far a request is: how many steps of how many are done, and what share of those at work, by their thread."""

    done: int = 0
    expected: int = 1
    shares: dict[int, float] = field(default_factory=dict)
    lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    def share(self) -> float:
        """Return the share of the request that is done."""
        return min(1.0, (self.done + sum(self.shares.values())) / self.expected)


class _Own(threading.local):
    """What holds for the thread that asks."""

    stage = ""
    helped = 0.0  # s of other threads' time


@dataclass(frozen=True)
class Crew:
    """The threads that share the work of one request, with its progress and its stop flag.

    Results come back in the order of the jobs, and each job works on its own layers, so that the number
    of threads never shows in a result.
    """

    threads: int = 2
    progress: Callable[[str, float], None] = _silent
    cancelled: Callable[[], bool] = _never
    _pool: ThreadPoolExecutor | None = field(default=None, repr=False)
    steps: Steps = field(default_factory=Steps)
    _own: _Own = field(default_factory=_Own, repr=False)

    def expect(self, steps: int) -> None:
        """Say how many steps the request will take, about."""
        self.steps.done, self.steps.expected = 0, max(1, steps)

    def begin(self, stage: str) -> None:
        """Begin a step, unless the request was called off."""
        self.look()
        self._own.stage = stage
        self._tell(0.0)

    def end(self) -> None:
        """End a step."""
        with self.steps.lock:
            self.steps.shares.pop(threading.get_ident(), None)
            self.steps.done += 1

    def _tell(self, share: float) -> None:
        """Report how much of the whole request is done, with a share of the step at work."""
        mine = threading.get_ident()
        with self.steps.lock:  # one after the other, so that it never goes back
            self.steps.shares[mine] = max(self.steps.shares.get(mine, 0.0), share)
            self.progress(self._own.stage, self.steps.share())

    def helped(self) -> float:
        """Return how long the crew has computed for the thread that asks, s of processor time."""
        return self._own.helped

    def look(self) -> None:
        """Raise ``Cancelled`` when the request was called off."""
        if self.cancelled():
            raise Cancelled

    def each(self, function: Callable[[int, int], R], runs: Sequence[tuple[int, int]]) -> list[R]:
        """Call ``function(first, last)`` for each run of layers, looking at the stop flag in between.

        Whoever asks works as well, and the others help: a stage with little to do need not wait for one with much.
        """

        def guarded(first: int, last: int) -> R:
            self.look()
            return function(first, last)

        if self._pool is None or len(runs) < 2:
            return [guarded(a, b) for a, b in runs]
        shared = _Shared(guarded, runs)
        helpers = [self._pool.submit(shared.help) for _ in range(min(self.threads, len(runs)) - 1)]
        try:
            while shared.one():
                self._tell(len(shared.results) / len(runs))
        finally:
            shared.left.clear()
            self._own.helped += sum(helper.result() for helper in helpers if not helper.cancel())
        return [shared.results[k] for k in range(len(runs))]

    def in_turn(self, function: Callable[[int, int], R], runs: Sequence[tuple[int, int]]) -> Iterator[R]:
        """Yield what ``each`` returns one by one, working a few runs ahead of whoever takes them."""
        if self._pool is None:
            for first, last in runs:
                self.look()
                yield function(first, last)
            return
        together = AHEAD * self.threads
        for at in range(0, len(runs), together):
            yield from self.each(function, runs[at : at + together])


@dataclass
class _Shared(Generic[R]):
    """Runs that several threads take one after the other until none is left, and what came of them, by number."""

    function: Callable[[int, int], R]
    runs: Sequence[tuple[int, int]]
    results: dict[int, R] = field(default_factory=dict)
    left: deque[int] = field(init=False)

    def __post_init__(self) -> None:
        self.left = deque(range(len(self.runs)))

    def one(self) -> bool:
        """Take the next run; tells whether there was one. When it fails, no more are taken."""
        try:
            number = self.left.popleft()
        except IndexError:
            return False
        try:
            self.results[number] = self.function(*self.runs[number])
        except BaseException:
            self.left.clear()
            raise
        return True

    def help(self) -> float:
        """Take runs as long as there are any; returns how long it took, s of processor time."""
        began = time.thread_time()
        while self.one():
            pass
        return time.thread_time() - began


#: Nobody but the thread that asks.
ALONE = Crew(1)


@contextmanager
def crew(
    threads: int,
    progress: Callable[[str, float], None] = _silent,
    cancelled: Callable[[], bool] = _never,
) -> Iterator[Crew]:
    """Open a crew of some threads and send it home at the end."""
    if threads <= 1:
        yield Crew(1, progress, cancelled)
        return
    with ThreadPoolExecutor(threads - 1, thread_name_prefix="slice") as pool:
        yield Crew(threads, progress, cancelled, pool)


def runs_of(weights: NDArray[np.generic], most: float = 0.0, least_runs: int = 16) -> list[tuple[int, int]]:
    """Cut layers into runs of about equal weight.

    Parameters
    ----------
    weights : (n,) array
        What each layer costs, in any unit.
    most : float
        A run's weight at the most; 0 for no such limit.
    least_runs : int
        How many runs to aim for at least.

    Returns
    -------
    list of (first, last)
        Half-open ranges that cover ``0..n`` in order.
    """
    count = len(weights)
    if count == 0:
        return []
    total = np.concatenate(([0.0], np.cumsum(np.asarray(weights, np.float64) + 1.0)))
    parts = least_runs if most <= 0 else max(least_runs, int(total[-1] / most) + 1)
    cuts = np.searchsorted(total, np.linspace(0.0, total[-1], parts + 1))
    cuts[0], cuts[-1] = 0, count
    cuts = np.unique(cuts)
    return [(int(a), int(b)) for a, b in pairwise(cuts)]
