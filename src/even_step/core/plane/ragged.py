"""Ragged arrays: points of many rings or lines in one array, with the place where each begins."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
Index = NDArray[np.int64]


def starts_of(counts: NDArray[np.generic]) -> Index:
    """Turn counts (n,) into starts (n + 1,)."""
    starts = np.zeros(len(counts) + 1, np.int64)
    np.cumsum(counts, out=starts[1:])
    return starts


def joined_starts(many: list[Index]) -> Index:
    """Join starts of several ragged arrays whose points are concatenated."""
    bases = np.cumsum([0, *(int(starts[-1]) for starts in many)])
    pieces = [starts[1:] + base for starts, base in zip(many, bases, strict=False)]
    return np.concatenate([np.zeros(1, np.int64), *pieces])


def distinct(xy: Points, start: Index) -> tuple[Points, Index]:
    """Leave out points of closed rings that repeat the one before; a ring of one point keeps it."""
    if len(xy) == 0:
        return xy, start
    before = np.arange(-1, len(xy) - 1)
    filled = np.diff(start) > 0
    before[start[:-1][filled]] = start[1:][filled] - 1
    kept = (xy != xy[before]).any(axis=1)
    if kept.all():
        return xy, start
    kept[start[:-1][filled]] |= ~np.logical_or.reduceat(kept, start[:-1][filled])
    return xy[kept], starts_of(kept)[start]


@dataclass(frozen=True, eq=False)
class Rings:
    """Closed rings without a repeated last point.

    Attributes
    ----------
    xy : (N, 2) float64
        mm.
    start : (R + 1,) int64
        Where each ring begins in ``xy``.
    item : (R,) int64
        Which region, counted from 0 and not falling, a ring belongs to.
    polygon : (R,) int64
        Which polygon a ring belongs to, not falling; its first ring is the shell.
    """

    xy: Points
    start: Index
    item: Index
    polygon: Index

    def loops(self) -> list[Points]:
        """Return each ring as a line that ends where it begins."""
        ends = zip(self.start[:-1], self.start[1:], strict=True)
        return [np.concatenate((self.xy[a:b], self.xy[a : a + 1])) for a, b in ends]

    def starts_by_item(self, count: int) -> Index:
        """Return where each of ``count`` regions' rings begin, (count + 1,)."""
        return np.searchsorted(self.item, np.arange(count + 1)).astype(np.int64)
