"""Parallel lines laid row by row: none is laid in between two that lie already, so that the sheen is even."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, Points
from even_step.core.slicing.laid import chosen

SHORTEST = 0.05  # mm: what is shorter is the turn from one row to the next


def order_rows(
    xy: Points, start: Index, linked: NDArray[np.bool_], first: int, last: int, x: float, y: float
) -> tuple[Points, Index, NDArray[np.bool_], float, float]:
    """Order chains of lines so that each row follows those beside it on one side.

    Parameters
    ----------
    xy, start, linked
        Lines, chained to and fro from row to row, each chain in rising order.
    first, last
        Which of them.
    x, y
        Where the nozzle is, mm.

    Returns
    -------
    Points, starts and links in order, and where the last line ends.
    """
    points = xy[start[first] : start[last]]
    begin = start[first : last + 1] - start[first]
    chain = np.cumsum(~linked[first:last] | (np.arange(last - first) == 0)) - 1
    head = np.flatnonzero(np.diff(chain, prepend=-1))
    ends = np.column_stack((points[begin[head]], points[np.append(begin[head[1:]], begin[-1]) - 1]))
    turn = _sequence(len(head), *_beside(*_rows(points, begin, np.repeat(chain, np.diff(begin)))), ends, x, y)
    lines = _lines(turn, head, len(chain))
    starts, place = chosen(begin, lines)
    out = points[place]
    follows = linked[first:last][lines] & (np.diff(lines, prepend=-9) == 1)
    return out, starts, follows, float(out[-1, 0]), float(out[-1, 1])


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
    u, v = points @ along, points @ np.array([-along[1], along[0]])
    flat = np.flatnonzero(same & (size > SHORTEST) & (np.abs(np.diff(v)) < 0.2 * size))
    flat = flat[np.argsort(v[flat], kind="stable")]
    row = np.cumsum(np.diff(v[flat], prepend=-np.inf) > SHORTEST)
    low, high = np.minimum(u[flat], u[flat + 1]), np.maximum(u[flat], u[flat + 1])
    order = np.lexsort((low, row))
    return low[order], high[order], row[order], chain[flat][order]


def _lines(turn: Index, head: Index, count: int) -> Index:
    """Return the numbers of the lines of chains in turn."""
    stop = np.append(head[1:], count)
    return np.concatenate([np.arange(head[chain], stop[chain]) for chain in turn])


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
def _sequence(chains, before, after, ends, x, y):  # type: ignore[no-untyped-def]
    """Order chains so that each comes after those below it, among the ones that may the nearest next."""
    waits = np.zeros(chains, np.int64)
    first = np.full(chains, -1, np.int64)
    onward = np.full(before.shape[0], -1, np.int64)
    for k in range(before.shape[0]):
        waits[after[k]] += 1
        onward[k] = first[before[k]]
        first[before[k]] = k
    done = np.zeros(chains, np.bool_)
    out = np.empty(chains, np.int64)
    for n in range(chains):
        best = np.inf
        at = -1
        for c in range(chains):
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
            waits[after[k]] -= 1
            k = onward[k]
    return out
