"""A net of points as lines that run from end to end, straight through its forks."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

STRAIGHT = 0.5  # cosine: at a fork a line runs on where it turns by less
SIGHT = 1.3  # times the distance to the walls: so far about a fork directions are taken


@kernel
def ways_of(begin, beside, kept):  # type: ignore[no-untyped-def]
    """Return how many kept neighbours each kept node has."""
    out = np.zeros(kept.shape[0], np.int64)
    for i in range(kept.shape[0]):
        if kept[i]:
            for k in range(begin[i], begin[i + 1]):
                out[i] += kept[beside[k]]
    return out


@kernel
def walk(node, far, begin, beside, kept):  # type: ignore[no-untyped-def]
    """Return lines from end to end as numbers of nodes, and where each begins; at a fork the straightest runs on."""
    count = node.shape[0]
    used = np.zeros(beside.shape[0], np.bool_)
    way = np.empty(2 * beside.shape[0] + 1, np.int64)
    start = np.zeros(beside.shape[0] + 1, np.int64)
    ways = ways_of(begin, beside, kept)
    seen = np.full(count, -1, np.int64)
    w = 0
    lines = 0
    for wanted in (1, 3, 2):
        for i in range(count):
            if min(ways[i], 3) != wanted:
                continue
            for k in range(begin[i], begin[i + 1]):
                if used[k] or not kept[beside[k]]:
                    continue
                way[w] = i
                w += 1
                step = k
                at = i
                while step >= 0:
                    before, at = at, beside[step]
                    used[step] = True
                    for m in range(begin[at], begin[at + 1]):
                        if beside[m] == before and not used[m]:
                            used[m] = True
                            break
                    way[w] = at
                    w += 1
                    back = w - 2
                    while back > start[lines] and _far_apart(node, way[back], at) < SIGHT * far[at]:
                        back -= 1
                    step = _ahead(node, far, begin, beside, kept, ways, used, way[back], at, seen, w)
                lines += 1
                start[lines] = w
    return way[:w].copy(), start[: lines + 1].copy()


@kernel
def _far_apart(node, a, b):  # type: ignore[no-untyped-def]
    return np.hypot(node[a, 0] - node[b, 0], node[a, 1] - node[b, 1])


@kernel
def _ahead(node, far, begin, beside, kept, ways, used, before, at, seen, turn):  # type: ignore[no-untyped-def]
    """Return the unused link that leads straightest ahead, −1 for none; at a fork only where it hardly turns.

    Where a link leads is where one gets by it just out of the fork's circle.
    """
    ux, uy = node[at, 0] - node[before, 0], node[at, 1] - node[before, 1]
    best = -2.0 if ways[at] <= 2 else STRAIGHT
    found = -1
    queue = np.empty(32, np.int64)
    for k in range(begin[at], begin[at + 1]):
        if used[k] or not kept[beside[k]]:
            continue
        if ways[at] <= 2:
            return k
        queue[0] = beside[k]
        head, tail = 0, 1
        while head < tail:
            i = queue[head]
            head += 1
            if _far_apart(node, i, at) >= SIGHT * far[at] or ways[i] == 1:
                vx, vy = node[i, 0] - node[at, 0], node[i, 1] - node[at, 1]
                size = np.hypot(ux, uy) * np.hypot(vx, vy)
                cos = (ux * vx + uy * vy) / size if size > 0.0 else 1.0
                if cos > best:
                    best = cos
                    found = k
                continue
            seen[i] = turn
            for m in range(begin[i], begin[i + 1]):
                j = beside[m]
                if kept[j] and not used[m] and j != at and seen[j] != turn and tail < 32:
                    queue[tail] = j
                    tail += 1
    return found
