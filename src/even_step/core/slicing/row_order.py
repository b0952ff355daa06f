"""Parallel lines laid row by row: none is laid in between two that lie already, so that the sheen is even."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, Points

SHORTEST = 0.05  # mm: what is shorter is the turn from one row to the next


def rows_beside(xy: Points, start: Index, chain: Index) -> tuple[Index, Index]:
    """Return pairs of chains of which the first has a row right below one of the second.

    Parameters
    ----------
    xy : (N, 2) float64
        Points of lines that run to and fro from row to row, mm.
    start : (P + 1,) int64
        Where each line begins.
    chain : (P,) int64
        Which chain each line is of, not falling.
    """
    before, after = _beside(*_rows(xy, start, np.repeat(chain, np.diff(start))))
    return before, after


def _rows(points: Points, begin: Index, chain: Index) -> tuple[NDArray[np.float64], NDArray[np.float64], Index, Index]:
    """Return where each straight line begins and ends along its row, its row and its chain, row by row."""
    step = np.diff(points, axis=0)
    size = np.hypot(*step.T)
    same = np.ones(len(step), bool)
    same[begin[1:-1] - 1] = False
    along = np.array([1.0, 0.0])
    if same.any():
        long = int(np.argmax(np.where(same, size, 0.0)))
        along = step[long] / max(size[long], 1e-9)
    if len(points) and points[-1] @ (-along[1], along[0]) < points[0] @ (-along[1], along[0]):
        along = -along  # rows follow each other as they were given
    u, v = points @ along, points @ np.array([-along[1], along[0]])
    flat = np.flatnonzero(same & (size > SHORTEST) & (np.abs(np.diff(v)) < 0.2 * size))
    flat = flat[np.argsort(v[flat], kind="stable")]
    row = np.cumsum(np.diff(v[flat], prepend=-np.inf) > SHORTEST)
    low, high = np.minimum(u[flat], u[flat + 1]), np.maximum(u[flat], u[flat + 1])
    order = np.lexsort((low, row))
    return low[order], high[order], row[order], chain[flat][order]


@kernel
def _beside(low, high, row, chain):  # type: ignore[no-untyped-def]
    """Return pairs of chains of which the first has a line right below one of the second."""
    count = low.shape[0]
    before = np.empty(4 * count + 4, np.int64)
    after = np.empty(4 * count + 4, np.int64)
    w = 0
    i = 0
    j = 0
    while j < count and row[j] == row[0]:
        j += 1
    while j < count and i < count:
        if row[i] + 1 < row[j] or (row[i] + 1 == row[j] and high[i] <= low[j]):
            i += 1
            continue
        if row[i] + 1 > row[j] or high[j] <= low[i]:
            j += 1
            continue
        if chain[i] != chain[j] and w < before.shape[0]:
            before[w], after[w] = chain[i], chain[j]
            w += 1
        if high[i] < high[j]:
            i += 1
        else:
            j += 1
    return before[:w].copy(), after[:w].copy()


@kernel
def sequence(some, count, before, after, pairs, ends, x, y, out):  # type: ignore[no-untyped-def]
    """Order some chains so that each comes after those below it, among the ones that may the nearest next.

    ``pairs`` are the numbers of those pairs of ``before`` and ``after`` that hold among them; ``out`` gets places in
    ``some``. Returns where the last one ends.
    """
    top = 0
    for k in range(count):
        top = max(top, some[k])
    place = np.full(top + 1, -1, np.int64)
    for k in range(count):
        place[some[k]] = k
    waits = np.zeros(count, np.int64)
    first = np.full(count, -1, np.int64)
    onward = np.full(pairs.shape[0], -1, np.int64)
    for k in range(pairs.shape[0]):
        low, high = place[before[pairs[k]]], place[after[pairs[k]]]
        waits[high] += 1
        onward[k] = first[low]
        first[low] = k
    done = np.zeros(count, np.bool_)
    for n in range(count):
        best = np.inf
        at = -1
        for c in range(count):
            if done[c]:
                continue
            # Chains that wait for each other in a ring are broken up where most is free.
            far = (ends[c, 0] - x) ** 2 + (ends[c, 1] - y) ** 2 + 1e12 * waits[c]
            if far < best:
                best = far
                at = c
        out[n] = at
        done[at] = True
        x, y = ends[at, 2], ends[at, 3]
        k = first[at]
        while k >= 0:
            waits[place[after[pairs[k]]]] -= 1
            k = onward[k]
    return x, y
