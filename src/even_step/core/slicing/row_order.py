"""Parallel lines laid row by row: none is laid in between two that lie already, so that the sheen is even."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

SHORTEST = 0.05  # mm: what is shorter is the turn from one row to the next


@kernel
def rows_beside(xy, start, chain, before, after, done):  # type: ignore[no-untyped-def]
    """Find pairs of chains of which the first has a row right below one of the second.

    ``xy`` are points of lines that run to and fro from row to row, mm, ``start`` (P + 1,) where each begins, ``chain``
    (P,) which chain each is of, not falling. Puts pairs down from the place ``done`` on, at most two for each point,
    and returns how many are down then.
    """
    low, high, row, its = _rows(xy, start, chain)
    count = low.shape[0]
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
        if its[i] != its[j]:
            before[done], after[done] = its[i], its[j]
            done += 1
        if high[i] < high[j]:
            i += 1
        else:
            j += 1
    return done


@kernel
def _rows(xy, start, chain):  # type: ignore[no-untyped-def]
    """Return where each straight line begins and ends along its row, its row and its chain, row by row."""
    a, b = start[0], start[start.shape[0] - 1]
    along_x, along_y, longest = 1.0, 0.0, 0.0
    for p in range(chain.shape[0]):
        for i in range(start[p], start[p + 1] - 1):
            dx, dy = xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1]
            size = np.hypot(dx, dy)
            if size > longest:
                longest, along_x, along_y = size, dx / size, dy / size
    ahead = (xy[b - 1, 1] - xy[a, 1]) * along_x - (xy[b - 1, 0] - xy[a, 0]) * along_y
    if ahead < 0.0:  # rows follow each other as they were given
        along_x, along_y = -along_x, -along_y
    low, high, across = np.empty(b - a), np.empty(b - a), np.empty(b - a)
    its = np.empty(b - a, np.int64)
    n = 0
    for p in range(chain.shape[0]):
        for i in range(start[p], start[p + 1] - 1):
            dx, dy = xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1]
            size = np.hypot(dx, dy)
            if size <= SHORTEST or abs(dy * along_x - dx * along_y) >= 0.2 * size:
                continue
            u = xy[i, 0] * along_x + xy[i, 1] * along_y
            v = xy[i + 1, 0] * along_x + xy[i + 1, 1] * along_y
            low[n], high[n], its[n] = min(u, v), max(u, v), chain[p]
            across[n] = xy[i, 1] * along_x - xy[i, 0] * along_y
            n += 1
    order = np.argsort(across[:n], kind="mergesort")
    row = np.empty(n, np.int64)
    number = 1
    for k in range(n):
        if k > 0 and across[order[k]] - across[order[k - 1]] > SHORTEST:
            number += 1
        row[k] = number
    first = 0
    while first < n:
        last = first
        while last < n and row[last] == row[first]:
            last += 1
        some = order[first:last].copy()
        order[first:last] = some[np.argsort(low[some], kind="mergesort")]
        first = last
    return low[order], high[order], row, its[order]


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
