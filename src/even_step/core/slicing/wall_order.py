"""The order of closed walls: island by island, from inside out or outside in, each begun at its seam."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.nearest import nearest_order
from even_step.core.plane.trace import is_inside


@kernel
def _islands(xy, start, polygon, level):  # type: ignore[no-untyped-def]
    """Say for each ring which outermost polygon it belongs to: its own, or the smallest round its polygon."""
    count = polygon.shape[0]
    island = np.full(count, -1, np.int64)
    box = np.empty((count, 4))
    for r in range(count):
        box[r, 0] = box[r, 1] = np.inf
        box[r, 2] = box[r, 3] = -np.inf
        for i in range(start[r], start[r + 1]):
            box[r, 0] = min(box[r, 0], xy[i, 0])
            box[r, 1] = min(box[r, 1], xy[i, 1])
            box[r, 2] = max(box[r, 2], xy[i, 0])
            box[r, 3] = max(box[r, 3], xy[i, 1])
    shell = 0
    for r in range(count):
        if r == 0 or polygon[r] != polygon[r - 1]:
            shell = r
            if level[r] == 0:
                island[r] = r
            else:
                best = np.inf
                x, y = xy[start[r], 0], xy[start[r], 1]
                for s in range(r):
                    if level[s] != 0 or (s > 0 and polygon[s] == polygon[s - 1]):
                        continue
                    if x < box[s, 0] or x > box[s, 2] or y < box[s, 1] or y > box[s, 3]:
                        continue
                    size = (box[s, 2] - box[s, 0]) * (box[s, 3] - box[s, 1])
                    if size < best and is_inside(x, y, xy, start[s], start[s + 1]):
                        best = size
                        island[r] = s
                if island[r] < 0:
                    island[r] = r
        else:
            island[r] = island[shell]
    return island


@kernel
def _seam(xy, first, last, kind, number, x, y):  # type: ignore[no-untyped-def]
    """Return where a ring begins."""
    count = last - first
    if kind == 3:
        mixed = (np.uint64(number) + np.uint64(0x9E3779B97F4A7C15)) * np.uint64(0xBF58476D1CE4E5B9)
        mixed = (mixed ^ (mixed >> np.uint64(29))) * np.uint64(0x94D049BB133111EB)
        return first + np.int64((mixed >> np.uint64(33)) % np.uint64(count))
    at = first
    best = -np.inf
    for i in range(first, last):
        if kind == 0:
            score = -((xy[i, 0] - x) ** 2 + (xy[i, 1] - y) ** 2)
        elif kind == 1:
            score = xy[i, 1] - 1e-4 * xy[i, 0]
        else:
            p = first + (i - first - 1) % count
            n = first + (i - first + 1) % count
            ux, uy = xy[i, 0] - xy[p, 0], xy[i, 1] - xy[p, 1]
            vx, vy = xy[n, 0] - xy[i, 0], xy[n, 1] - xy[i, 1]
            # The sharper, the better; an inward corner hides a seam a little better than an outward one.
            turn = np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)
            score = abs(turn) - 0.1 * np.sign(turn) + 1e-6 * xy[i, 1]
        if score > best:
            best = score
            at = i
    return at


@kernel
def order_walls(xy, width, start, polygon, level, inner_first, seam, seed):  # type: ignore[no-untyped-def]
    """Order the closed walls of a layer, island by island, each begun at its seam.

    Returns points (the first repeated at the end), widths from each to the next, starts and levels in order, and
    where the last ends.
    """
    count = polygon.shape[0]
    x, y = 0.0, 0.0
    if count == 0:
        return (np.empty((0, 2)), np.empty(0), np.zeros(1, np.int64), np.empty(0, np.int64)), x, y
    island = _islands(xy, start, polygon, level)
    deepest = level.max()
    begin = np.empty(count, np.int64)
    for r in range(count):
        begin[r] = _seam(xy, start[r], start[r + 1], seam, seed + r, x, y)
    ends = np.empty((count, 4))
    heads = np.empty(count, np.int64)
    some = np.empty(count, np.int64)
    order = np.empty(count, np.int64)
    flip = np.empty(count, np.int64)
    islands = 0
    for r in range(count):
        if island[r] == r:
            heads[islands] = r
            ends[islands, 0] = ends[islands, 2] = xy[begin[r], 0]
            ends[islands, 1] = ends[islands, 3] = xy[begin[r], 1]
            islands += 1
    island_order = np.empty(islands, np.int64)
    nearest_order(ends, islands, x, y, island_order, flip)
    points = np.empty((start[count] - start[0] + count, 2))
    wide = np.empty(points.shape[0])
    starts = np.zeros(count + 1, np.int64)
    levels = np.empty(count, np.int64)
    # Rings by island, in their own order: a list begun at each island's head.
    after = np.full(count, -1, np.int64)
    tail = np.full(count, -1, np.int64)
    first_of = np.full(count, -1, np.int64)
    for r in range(count):
        h = island[r]
        if tail[h] < 0:
            first_of[h] = r
        else:
            after[tail[h]] = r
        tail[h] = r
    w = 0
    done = 0
    for k in range(islands):
        head = heads[island_order[k]]
        for step in range(deepest + 1):
            now = deepest - step if inner_first else step
            m = 0
            r = first_of[head]
            while r >= 0:
                if level[r] == now:
                    if seam == 0:
                        begin[r] = _seam(xy, start[r], start[r + 1], seam, 0, x, y)
                    some[m] = r
                    ends[m, 0] = ends[m, 2] = xy[begin[r], 0]
                    ends[m, 1] = ends[m, 3] = xy[begin[r], 1]
                    m += 1
                r = after[r]
            if m == 0:
                continue
            x, y = nearest_order(ends, m, x, y, order, flip)
            for j in range(m):
                r = some[order[j]]
                size = start[r + 1] - start[r]
                for i in range(size + 1):
                    p = start[r] + (begin[r] - start[r] + i) % size
                    points[w, 0] = xy[p, 0]
                    points[w, 1] = xy[p, 1]
                    wide[w] = width[p]
                    w += 1
                levels[done] = level[r]
                done += 1
                starts[done] = w
    return (points, wide, starts, levels), x, y
