"""The toolpath: everything that is laid, in order, as a structure of arrays."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.toolpath.courses import Courses, Index


@dataclass(frozen=True, eq=False)
class Toolpath:
    """Lines in the order they are laid, bed frame, mm.

    Attributes
    ----------
    xy : (N, 2) float64
        Points, on a grid of 1 µm. A closed wall repeats its first point.
    start : (P + 1,) int64
        Where each path begins in ``xy``.
    role : (P,) uint8
        Number of its role.
    width, height : (P,) float32
        As drawn, mm.
    part : (P,) int32
        Number of the placed part, −1 for none.
    record : (P,) uint16
        In which zones of its part it lies, by the part's number for them; 0 for none.
    extruder : (P,) uint8
        Number of the extruder that lays it, from 0.
    held : (P,) uint8
        How many tenths of a wall's width lie on the layer below, 10 where all counts as held.
    own : (P,) int32
        Which of its part's own layers it belongs to; of a foot below 0 beneath the first, 0 beside it.
    via : (V, 2) float64
        Points passed on the ways to the paths.
    via_start : (P + 1,) int64
        Where those on the way to each path begin.
    retract : (P,) bool
        Whether the way to the path is travelled with filament drawn back.
    layer : (L + 1,) int64
        Where each layer's paths begin.
    courses : Courses
        What the layers are made of.
    repeats : (L,) int64
        The first layer that is laid just like this one, from the same place, only at another height; itself
        when there is none.
    climb : (N, 2) float64
        How far each point lies below its layer's top, mm, and what share of its path's section the line has there;
        (0, 2) where no line climbs.
    """

    xy: NDArray[np.float64]
    start: Index
    role: NDArray[np.uint8]
    width: NDArray[np.float32]
    height: NDArray[np.float32]
    part: NDArray[np.int32]
    record: NDArray[np.uint16]
    extruder: NDArray[np.uint8]
    held: NDArray[np.uint8]
    own: NDArray[np.int32]
    via: NDArray[np.float64]
    via_start: Index
    retract: NDArray[np.bool_]
    layer: Index
    courses: Courses
    repeats: Index
    climb: NDArray[np.float64]

    @property
    def top(self) -> NDArray[np.float64]:
        """Height of each layer's top, (L,), mm."""
        return self.courses.top

    @property
    def layers(self) -> int:
        """How many layers there are."""
        return len(self.top)

    @cached_property
    def extruders(self) -> list[int]:
        """Which extruders lay something, in their order."""
        return [int(number) for number in np.flatnonzero(np.bincount(self.extruder))]

    def lengths(self) -> NDArray[np.float64]:
        """Return the length of each path, (P,), mm."""
        return np.asarray(_lengths(self.xy, self.start))

    def filled_lengths(self) -> NDArray[np.float64]:
        """Return how long each path's plastic is in its whole section, (P,), mm: less than the path where it climbs."""
        return np.asarray(_filled(self.xy, self.start, self.climb)) if len(self.climb) else self.lengths()

    def closed(self) -> NDArray[np.bool_]:
        """Tell which paths end where they begin, (P,)."""
        return np.asarray(_closed(self.xy, self.start))

    def strokes(self, role: int) -> int:
        """Return how many strokes a role is laid in: paths, but for those that go on where the one before ended."""
        first, last = self.xy[self.start[1:-1]], self.xy[self.start[1:-1] - 1]
        own = self.role == role
        goes_on = own[1:] & own[:-1] & (first == last).all(axis=1)
        goes_on &= np.diff(self.layer_of_path()) == 0
        return int(own.sum() - goes_on.sum())

    def on_bed(self) -> NDArray[np.bool_]:
        """Tell which paths are laid on the bed, (P,)."""
        return np.asarray(self.own == np.append(self.courses.lowest(), 0)[self.part])

    def changes(self) -> NDArray[np.int8]:
        """Tell before which paths another extruder takes over, (P,): 1 for the first time, 2 again; else 0."""
        out = np.zeros(len(self.role), np.int8)
        at = np.flatnonzero(self.extruder[1:] != self.extruder[:-1]) + 1
        seen = set(self.extruder[:1].tolist())
        for p, extruder in zip(at.tolist(), self.extruder[at].tolist(), strict=True):
            out[p] = 2 if extruder in seen else 1
            seen.add(extruder)
        return out

    def layer_of_path(self) -> Index:
        """Return which layer each path is in, (P,)."""
        return np.repeat(np.arange(self.layers), np.diff(self.layer))


@kernel
def _lengths(xy, start):  # type: ignore[no-untyped-def]
    out = np.zeros(start.shape[0] - 1)
    for p in range(out.shape[0]):
        length = 0.0
        for i in range(start[p] + 1, start[p + 1]):
            dx, dy = xy[i, 0] - xy[i - 1, 0], xy[i, 1] - xy[i - 1, 1]
            length += np.sqrt(dx * dx + dy * dy)
        out[p] = length
    return out


@kernel
def _filled(xy, start, climb):  # type: ignore[no-untyped-def]
    out = np.zeros(start.shape[0] - 1)
    for p in range(out.shape[0]):
        for i in range(start[p] + 1, start[p + 1]):
            share = 0.5 * (climb[i - 1, 1] + climb[i, 1])
            out[p] += share * np.hypot(xy[i, 0] - xy[i - 1, 0], xy[i, 1] - xy[i - 1, 1])
    return out


@kernel
def _closed(xy, start):  # type: ignore[no-untyped-def]
    out = np.zeros(start.shape[0] - 1, np.bool_)
    for p in range(out.shape[0]):
        a, b = start[p], start[p + 1] - 1
        out[p] = xy[a, 0] == xy[b, 0] and xy[a, 1] == xy[b, 1]
    return out
