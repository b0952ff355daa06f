"""How thick a region is all along its outline."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.balls import CONVEX, FACING, NEVER, REFLEX, ball, edges_from, faces, frames_of, samples
from even_step.core.plane.segments import grid_of

CELL = 1.0  # mm


@kernel
def net_of(xy, start):  # type: ignore[no-untyped-def]
    """Return the edges of closed rings, the edge before each, their frames, which begin at a reflex corner, a grid."""
    edges, before = edges_from(xy, start)
    frame = frames_of(edges)
    reflex = np.zeros(edges.shape[0], np.bool_)
    for e in range(edges.shape[0]):
        p = before[e]
        reflex[e] = frame[p, 0] * frame[e, 1] - frame[p, 1] * frame[e, 0] < 0.0
    return edges, before, frame, reflex, grid_of(edges, CELL)


@kernel
def thickness(net, start, spacing, most):  # type: ignore[no-untyped-def]
    """Return samples of outlines, how far each may be moved in, and the thickness there, at most ``most``.

    Samples are as ``samples`` gives them. Last come the sample that each circle touches on the other side, −1 for
    none that faces it, and the circle's centre.
    """
    edges, before, frame, reflex, grid = net
    at, kind, edge, starts, head = samples(edges, before, frame, start, spacing)
    count = at.shape[0]
    room, thick = np.empty(count), np.empty(count)
    sure = np.ones(count, np.bool_)
    mate = np.full(count, -1, np.int64)
    centre = np.empty((count, 2))
    ring = np.empty(edges.shape[0], np.int64)
    for r in range(start.shape[0] - 1):
        ring[start[r] : start[r + 1]] = r
    after = np.empty(edges.shape[0], np.int64)
    for e in range(edges.shape[0]):
        after[before[e]] = e
    guess = -1
    for i in range(count):
        e = edge[i] if edge[i] >= 0 else -1 - edge[i]
        wx, wy = at[i, 2], at[i, 3]
        long = 1.0
        other = -1
        if kind[i] != 0:
            other = before[e]
        if kind[i] == REFLEX:
            long = np.hypot(wx, wy)
            wx, wy = wx / long, wy / long
        radius, guess, what = ball(edges, frame, reflex, grid, at[i, 0], at[i, 1], wx, wy, e, other, guess, most / 2.0)
        centre[i, 0], centre[i, 1] = at[i, 0] + radius * wx, at[i, 1] + radius * wy
        room[i] = radius / long
        thick[i] = 2.0 * radius
        if kind[i] == CONVEX:
            room[i] = min(room[i], _beside(frame, before, after, reflex, e))
            ax, ay, bx, by = -frame[e, 1], frame[e, 0], -frame[other, 1], frame[other, 0]
            if ax * bx + ay * by < FACING:
                thick[i] = 0.0
                continue
        if guess < 0:
            continue
        cx, cy = centre[i, 0], centre[i, 1]
        if kind[i] == CONVEX:
            cos = min(
                faces(edges, frame, guess, what, cx, cy, radius, ax, ay),
                faces(edges, frame, guess, what, cx, cy, radius, bx, by),
            )
        else:
            cos = faces(edges, frame, guess, what, cx, cy, radius, wx, wy)
        sure[i] = cos < FACING
        if sure[i]:
            on = 0.0
            if what == 1:
                on = ((cx - edges[guess, 0]) * frame[guess, 0] + (cy - edges[guess, 1]) * frame[guess, 1]) / frame[
                    guess, 2
                ]
            k = head[guess] + int(on * (int(frame[guess, 2] / spacing) + 1) + 0.5)
            r = ring[guess]
            mate[i] = k if k < starts[r + 1] else starts[r]
    for r in range(start.shape[0] - 1):
        _fill_corners(thick, sure, starts[r], starts[r + 1])
    return at, kind, edge, starts, room, thick, sure, mate, centre


@kernel
def _beside(frame, before, after, reflex, e):  # type: ignore[no-untyped-def]
    """Return how far a corner's sides may be moved in until one of them ends at a reflex corner."""
    p = before[e]
    half = np.tan(
        0.5
        * np.arctan2(
            frame[p, 0] * frame[e, 1] - frame[p, 1] * frame[e, 0], frame[p, 0] * frame[e, 0] + frame[p, 1] * frame[e, 1]
        )
    )
    least = NEVER
    if reflex[p] and half > 0.0:
        least = min(least, frame[p, 2] / half)
    if reflex[after[e]] and half > 0.0:
        least = min(least, frame[e, 2] / half)
    return least


@kernel
def _fill_corners(thick, sure, first, last):  # type: ignore[no-untyped-def]
    """Take a ring's thickness in corners from beside them: as water stands between two heights."""
    count = last - first
    begin = -1
    for i in range(first, last):
        if sure[i] and begin < 0:
            begin = i
    if begin < 0:  # corners all round: the highest is where to begin
        begin = first
        for i in range(first, last):
            if thick[i] > thick[begin]:
                begin = i
        sure[begin] = True
    k = 0
    while k < count:
        i = begin + k
        i = i - count if i >= last else i
        if sure[i]:
            k += 1
            continue
        size = 0
        while size < count:
            j = i + size
            j = j - count if j >= last else j
            if sure[j]:
                break
            size += 1
        level = np.empty(size)
        before = thick[i - 1 if i > first else last - 1]
        after = thick[j]
        high = before
        for m in range(size):
            n = i + m
            n = n - count if n >= last else n
            high = max(high, thick[n])
            level[m] = high
        high = after
        for m in range(size - 1, -1, -1):
            n = i + m
            n = n - count if n >= last else n
            high = max(high, thick[n])
            filled = min(level[m], high)
            sure[n] = filled == thick[n]
            thick[n] = filled
        k += size
