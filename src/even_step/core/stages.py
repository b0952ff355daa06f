"""The stage cache: what a stage made, kept by a hash of what it was made from, bounded in bytes."""

from __future__ import annotations

import dataclasses
import hashlib
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Protocol, TypeVar, cast

import numpy as np

from even_step.core.kernel_folder import SOURCES
from even_step.core.plane import region
from even_step.core.work import Crew

T = TypeVar("T")
MOST_BYTES = 1_000_000_000
BYTES_A_POINT = 16
BYTES_A_SHAPE = 300


def size_of(value: object) -> int:
    """Estimate the memory of what a stage made, bytes."""
    if isinstance(value, np.ndarray):
        if value.dtype == object:
            return int(region.size_in_points(value).sum()) * BYTES_A_POINT + value.size * BYTES_A_SHAPE
        return int(value.nbytes)
    if isinstance(value, list | tuple):
        return sum(size_of(item) for item in value)
    if dataclasses.is_dataclass(value):
        return sum(size_of(getattr(value, item.name)) for item in dataclasses.fields(value))
    return 64


class Cache(Protocol):
    """What keeps results by key: in memory here, elsewhere for whoever slices in several processes."""

    def get(self, key: str) -> object | None:
        """Return what is kept under a key, or none."""

    def put(self, key: str, value: object) -> None:
        """Keep a result."""


@dataclass
class StageCache:
    """Results by key; the ones unused for longest go first when there are too many bytes."""

    limit: int = MOST_BYTES
    used: int = 0
    _kept: OrderedDict[str, tuple[object, int]] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    def get(self, key: str) -> object | None:
        """Return what is kept under a key, or none."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key][0]

    def put(self, key: str, value: object) -> None:
        """Keep a result, unless it alone is larger than the limit."""
        size = size_of(value)
        with self._lock:
            if key in self._kept:
                self.used -= self._kept.pop(key)[1]
            if size > self.limit:
                return
            self._kept[key] = value, size
            self.used += size
            while self.used > self.limit:
                _, (_, gone) = self._kept.popitem(last=False)
                self.used -= gone


@dataclass
class StageRun:
    """One pass through the stages: who works, what is kept, and what each stage cost.

    ``wall`` and ``cpu`` are seconds by stage, and stages that work side by side each count their own; ``made`` says
    which stages had to compute, ``found`` which took something from the cache.
    """

    crew: Crew
    cache: Cache
    wall: dict[str, float] = field(default_factory=dict)
    cpu: dict[str, float] = field(default_factory=dict)
    made: set[str] = field(default_factory=set)
    found: set[str] = field(default_factory=set)
    _making: dict[str, threading.Event] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)

    def stage(self, name: str, made_from: tuple[object, ...], make: Callable[[], T]) -> tuple[T, str]:
        """Return what a stage makes, and its key.

        Parameters
        ----------
        name
            The stage.
        made_from
            Keys of the stages before and the stage's own record: everything the result depends on. Their
            texts (``repr``) are hashed, with the sources of the compiled loops.
        make
            Computes the result; called only where it is not kept.
        """
        key = hashlib.blake2b(repr((SOURCES, name, *made_from)).encode(), digest_size=16).hexdigest()
        with self._alone(key):
            kept = self.cache.get(key)
            if kept is not None:
                self.found.add(name)
                self.crew.end()
                return cast("T", kept), key
            self.crew.begin(name)
            with self.timed(name):
                value = make()
            self.crew.end()
            self.made.add(name)
            self.cache.put(key, value)
            return value, key

    @contextmanager
    def _alone(self, key: str) -> Iterator[None]:
        """Let nobody else make what is being made, for it may be taken from the cache then."""
        mine = threading.Event()
        while True:
            with self._lock:
                other = self._making.setdefault(key, mine)
            if other is mine:
                break
            other.wait()
        try:
            yield
        finally:
            with self._lock:
                del self._making[key]
            mine.set()

    def note(self, name: str, wall: float, cpu: float) -> None:
        """Add to what a stage cost, s."""
        with self._lock:
            self.wall[name] = self.wall.get(name, 0.0) + wall
            self.cpu[name] = self.cpu.get(name, 0.0) + cpu

    def timed(self, name: str) -> _Clock:
        """Return a context that adds its time to a stage."""
        return _Clock(self, name)

    def hits(self) -> dict[str, str]:
        """Return ``hit`` or ``miss`` by stage: a miss wherever anything had to be computed."""
        return {name: "miss" if name in self.made else "hit" for name in sorted(self.made | self.found)}


@dataclass
class _Clock:
    run: StageRun
    name: str
    wall: float = 0.0
    cpu: float = 0.0

    def __enter__(self) -> None:
        self.wall, self.cpu = time.perf_counter(), self._computed()

    def __exit__(self, *_: object) -> None:
        self.run.note(self.name, time.perf_counter() - self.wall, self._computed() - self.cpu)

    def _computed(self) -> float:
        return time.thread_time() + self.run.crew.helped()
