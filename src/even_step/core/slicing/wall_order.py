"""Closed walls: which of them run along the same contour, and where each begins."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.trace import is_inside, ring_area


@kernel
def boxes_of(xy, start, count):  # type: ignore[no-untyped-def]
    """Return least x, largest x, least y, largest y of the first paths, (count, 4)."""
    box = np.empty((count, 4))
    for r in range(count):
        box[r, 0] = box[r, 2] = np.inf
        box[r, 1] = box[r, 3] = -np.inf
        for i in range(start[r], start[r + 1]):
            box[r, 0] = min(box[r, 0], xy[i, 0])
            box[r, 1] = max(box[r, 1], xy[i, 0])
            box[r, 2] = min(box[r, 2], xy[i, 1])
            box[r, 3] = max(box[r, 3], xy[i, 1])
    return box


@kernel
def contours_of(xy, start, count, level, island):  # type: ignore[no-untyped-def]
    """Say for each closed wall along which outermost one it runs, (count,); along itself where there is none.

    A wall round material lies within the next one outward, a wall round a hole about it. Walls come outermost first.
    """
    contour = np.arange(count)
    if count == 0 or level[:count].max() == 0:
        return contour
    box = boxes_of(xy, start, count)
    shell = np.empty(count, np.bool_)
    for r in range(count):
        shell[r] = ring_area(xy, start[r], start[r + 1]) > 0.0
    for r in range(count):
        best = np.inf
        if level[r] == 0:
            continue
        for s in range(r):
            if level[s] != level[r] - 1 or island[s] != island[r] or shell[s] != shell[r]:
                continue
            o, i = (s, r) if shell[r] else (r, s)
            if box[i, 0] < box[o, 0] or box[i, 1] > box[o, 1] or box[i, 2] < box[o, 2] or box[i, 3] > box[o, 3]:
                continue
            size = (box[s, 1] - box[s, 0]) * (box[s, 3] - box[s, 2])
            if size < best and is_inside(xy[start[i], 0], xy[start[i], 1], xy, start[o], start[o + 1]):
                best = size
                contour[r] = contour[s]
    return contour


@kernel
def seam_of(xy, first, last, kind, number, x, y):  # type: ignore[no-untyped-def]
    """Return the point at which a closed wall begins: nearest, at the back, in a corner, or scattered."""
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
