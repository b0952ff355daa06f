"""The nearest next: an order of lines in which each begins near where the one before ended.

Short lists are then improved by turning stretches of them round (2-opt; Croes, "A method for solving
traveling-salesman problems", 1958), which takes out the long ways back that the nearest next leaves.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

FEW = 48  # so many are searched one by one, more through a grid
SHORT = 64  # lists no longer than that are improved
LEAST_GAIN = 1e-6  # mm
PASSES = 8  # over the list, at the most


@kernel
def nearest_order(ends, count, x, y, order, flip):  # type: ignore[no-untyped-def]
    """Order lines by their nearer end, from a point.

    ``ends`` (n, 4) holds the two ends of each line. ``order[:count]`` gets the numbers of the lines,
    ``flip[:count]`` whether each is run from its second end. Returns where the last one ends. The ends lie
    in a grid of about two a cell, which is laid anew whenever three quarters are gone, so the time grows
    with the number of lines and not with its square. Lists of up to ``SHORT`` lines are improved afterwards.
    """
    end_x, end_y = _greedy(ends, count, x, y, order, flip)
    if 2 < count <= SHORT:
        _improve(ends, count, x, y, order, flip)
        other = 2 - 2 * flip[count - 1]
        end_x, end_y = ends[order[count - 1], other], ends[order[count - 1], other + 1]
    return end_x, end_y


@kernel
def _improve(ends, count, x, y, order, flip):  # type: ignore[no-untyped-def]
    """Turn stretches of the order round as long as that shortens the ways between the lines."""
    for _ in range(PASSES):
        better = False
        for i in range(count - 1):
            px, py = x, y
            if i > 0:
                other = 2 - 2 * flip[i - 1]
                px, py = ends[order[i - 1], other], ends[order[i - 1], other + 1]
            for j in range(i + 1, count):
                a = 2 * flip[i]
                b = 2 - 2 * flip[j]
                ax, ay = ends[order[i], a], ends[order[i], a + 1]
                bx, by = ends[order[j], b], ends[order[j], b + 1]
                gain = np.hypot(ax - px, ay - py) - np.hypot(bx - px, by - py)
                if j + 1 < count:
                    c = 2 * flip[j + 1]
                    cx, cy = ends[order[j + 1], c], ends[order[j + 1], c + 1]
                    gain += np.hypot(cx - bx, cy - by) - np.hypot(cx - ax, cy - ay)
                if gain > LEAST_GAIN:
                    better = True
                    low, high = i, j
                    while low <= high:
                        order[low], order[high] = order[high], order[low]
                        flip[low], flip[high] = 1 - flip[high], 1 - flip[low]
                        low += 1
                        high -= 1
        if not better:
            break
    return 0


@kernel
def _greedy(ends, count, x, y, order, flip):  # type: ignore[no-untyped-def]
    left = count
    alive = np.arange(count)
    gone = np.zeros(count, np.bool_)
    w = 0
    while left > 0:
        if left <= FEW:
            x, y, w = _one_by_one(ends, alive, left, x, y, order, flip, w)
            break
        start, fill, item, x0, y0, cell, nx, ny = _grid(ends, alive, left)
        had = left
        while left > FEW and 4 * left > had:
            best = _search(ends, gone, start, fill, item, x0, y0, cell, nx, ny, x, y)
            i = best >> 1
            order[w] = i
            flip[w] = best & 1
            gone[i] = True
            w += 1
            left -= 1
            other = 2 - 2 * (best & 1)
            x, y = ends[i, other], ends[i, other + 1]
        m = 0
        for k in range(had):
            if not gone[alive[k]]:
                alive[m] = alive[k]
                m += 1
    return x, y


@kernel
def _one_by_one(ends, alive, left, x, y, order, flip, w):  # type: ignore[no-untyped-def]
    while left > 0:
        best = np.inf
        at = 0
        side = 0
        for k in range(left):
            i = alive[k]
            for s in range(2):
                d = (ends[i, 2 * s] - x) ** 2 + (ends[i, 2 * s + 1] - y) ** 2
                if d < best:
                    best = d
                    at = k
                    side = s
        i = alive[at]
        order[w] = i
        flip[w] = side
        w += 1
        x, y = ends[i, 2 - 2 * side], ends[i, 3 - 2 * side]
        left -= 1
        # Kept in order, so that ties fall the same way whatever was taken before.
        for k in range(at, left):
            alive[k] = alive[k + 1]
    return x, y, w


@kernel
def _grid(ends, alive, left):  # type: ignore[no-untyped-def]
    x0 = y0 = np.inf
    x1 = y1 = -np.inf
    for k in range(left):
        for s in range(2):
            x0 = min(x0, ends[alive[k], 2 * s])
            x1 = max(x1, ends[alive[k], 2 * s])
            y0 = min(y0, ends[alive[k], 2 * s + 1])
            y1 = max(y1, ends[alive[k], 2 * s + 1])
    wide, deep = max(x1 - x0, 1e-6), max(y1 - y0, 1e-6)
    cell = max(np.sqrt(wide * deep / left), max(wide, deep) / left)
    nx, ny = int(wide / cell) + 1, int(deep / cell) + 1
    start = np.zeros(nx * ny + 1, np.int64)
    for turn in range(2):
        if turn == 1:
            for g in range(nx * ny):
                start[g + 1] += start[g]
            fill = start[: nx * ny].copy()
            item = np.empty(2 * left, np.int64)
        for k in range(left):
            for s in range(2):
                gx = int((ends[alive[k], 2 * s] - x0) / cell)
                gy = int((ends[alive[k], 2 * s + 1] - y0) / cell)
                g = gy * nx + gx
                if turn == 0:
                    start[g + 1] += 1
                else:
                    item[fill[g]] = 2 * alive[k] + s
                    fill[g] += 1
    return start, fill, item, x0, y0, cell, nx, ny


@kernel
def _search(ends, gone, start, fill, item, x0, y0, cell, nx, ny, x, y):  # type: ignore[no-untyped-def]
    """Return the nearest living end (twice its line, plus one for its second end)."""
    gx = min(max(int((x - x0) / cell), 0), nx - 1)
    gy = min(max(int((y - y0) / cell), 0), ny - 1)
    best = np.inf
    found = np.int64(-1)
    out_x = max(x0 - x, x - (x0 + nx * cell), 0.0)
    out_y = max(y0 - y, y - (y0 + ny * cell), 0.0)
    outside = np.sqrt(out_x * out_x + out_y * out_y)
    for r in range(nx + ny + 1):
        if found >= 0 and best <= max(outside, (r - 1) * cell) ** 2:
            break
        for cy in range(max(gy - r, 0), min(gy + r, ny - 1) + 1):
            edge = cy == gy - r or cy == gy + r
            step = 1 if edge or r == 0 else 2 * r
            for cx in range(gx - r, gx + r + 1, step):
                if cx < 0 or cx >= nx:
                    continue
                g = cy * nx + cx
                k = start[g]
                while k < fill[g]:
                    e = item[k]
                    if gone[e >> 1]:
                        fill[g] -= 1
                        item[k] = item[fill[g]]
                        continue
                    s = e & 1
                    d = (ends[e >> 1, 2 * s] - x) ** 2 + (ends[e >> 1, 2 * s + 1] - y) ** 2
                    if d < best or (d == best and e < found):
                        best = d
                        found = e
                    k += 1
    return found
