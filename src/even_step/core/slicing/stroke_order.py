"""The order of open lines, and where a line of changing width is parted into lines of one width each."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.nearest import nearest_order
from even_step.core.slicing.laid import STANDS_OUT

WIDTH_STEP = 0.04  # mm, within one line the width may differ by no more


@kernel
def order_strokes(xy, start, linked, first, last, x, y):  # type: ignore[no-untyped-def]
    """Order open lines, whole chains of linked ones at a time, either way round.

    Returns points, starts, which lines follow the one before, the number of the point each came from, and where the
    last ends.
    """
    count = last - first
    chain = np.empty(count + 1, np.int64)
    chains = 0
    for p in range(first, last):
        if p == first or not linked[p]:
            chain[chains] = p
            chains += 1
    chain[chains] = last
    ends = np.empty((chains, 4))
    for c in range(chains):
        a, b = start[chain[c]], start[chain[c + 1]] - 1
        ends[c, 0], ends[c, 1] = xy[a, 0], xy[a, 1]
        ends[c, 2], ends[c, 3] = xy[b, 0], xy[b, 1]
    order = np.empty(chains, np.int64)
    flip = np.empty(chains, np.int64)
    x, y = nearest_order(ends, chains, x, y, order, flip)
    points = np.empty((start[last] - start[first], 2))
    came = np.empty(points.shape[0], np.int64)
    starts = np.zeros(count + 1, np.int64)
    follows = np.zeros(count, np.bool_)
    w = 0
    done = 0
    for k in range(chains):
        a, b = chain[order[k]], chain[order[k] + 1]
        for j in range(b - a):
            p = b - 1 - j if flip[k] == 1 else a + j
            size = start[p + 1] - start[p]
            for i in range(size):
                q = start[p + 1] - 1 - i if flip[k] == 1 else start[p] + i
                points[w, 0] = xy[q, 0]
                points[w, 1] = xy[q, 1]
                came[w] = q
                w += 1
            follows[done] = j > 0
            done += 1
            starts[done] = w
    return points, starts, follows, came, x, y


@kernel
def parted_by_width(xy, start, width):  # type: ignore[no-untyped-def]
    """Part lines where their width changes.

    ``width`` holds for each point the width to the next. Returns points (those at a change twice), starts, the mean
    width of each new line, hardly more than its least, and the number of the line it came from.
    """
    count = start.shape[0] - 1
    room = 2 * xy.shape[0] + 2
    points = np.empty((room, 2))
    starts = np.zeros(xy.shape[0] + 2, np.int64)
    mean = np.empty(xy.shape[0] + 1)
    origin = np.empty(xy.shape[0] + 1, np.int64)
    w = 0
    n = 0
    for p in range(count):
        i = start[p]
        last = start[p + 1] - 1
        while i < last:
            least = most = width[i]
            total = 0.0
            long = 0.0
            points[w, 0], points[w, 1] = xy[i, 0], xy[i, 1]
            w += 1
            while i < last:
                low, high = min(least, width[i]), max(most, width[i])
                if high - low > WIDTH_STEP:
                    break
                least, most = low, high
                step = np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1])
                total += step * width[i]
                long += step
                i += 1
                points[w, 0], points[w, 1] = xy[i, 0], xy[i, 1]
                w += 1
            mean[n] = least if least == most or long == 0.0 else min(total / long, least + STANDS_OUT)
            origin[n] = p
            n += 1
            starts[n] = w
    return points[:w].copy(), starts[: n + 1].copy(), mean[:n].copy(), origin[:n].copy()
