"""How thick a region is all along its outline."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.balls import (
    BENT,
    CONVEX,
    FACING,
    LONG,
    NEVER,
    REFLEX,
    UX,
    UY,
    ball,
    edges_from,
    faces,
    samples,
    sides_of,
)
from even_step.core.plane.segments import grid_of

CELL = 1.0  # mm
SHARP = -0.25  # cosine between the ways in at a corner so sharp that where its sides are rough they may face each other


@kernel
def net_of(xy, start):  # type: ignore[no-untyped-def]
    """Return the edges of closed rings, the edge before each, what a circle asks of them, and a grid of them."""
    edges, before = edges_from(xy, start)
    return edges, before, sides_of(edges, before), grid_of(edges, CELL)


@kernel
def thickness(net, start, spacing, most):  # type: ignore[no-untyped-def]
    """Return samples of outlines, how far each may be moved in, and the thickness there, at most ``most``.

    Samples are as ``samples`` gives them. Last come the sample that each circle touches on the other side, −1 for
    none that faces it, and the circle's centre.
    """
    _, before, side, grid = net
    at, kind, edge, starts, head = samples(side, before, start, spacing)
    count = at.shape[0]
    room, thick = np.empty(count), np.empty(count)
    sure = np.ones(count, np.bool_)
    mate = np.full(count, -1, np.int64)
    centre = np.empty((count, 2))
    ring = np.empty(side.shape[0], np.int64)
    for r in range(start.shape[0] - 1):
        ring[start[r] : start[r + 1]] = r
    after = np.empty(side.shape[0], np.int64)
    for e in range(side.shape[0]):
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
        radius, guess, what = ball(side, grid, at[i, 0], at[i, 1], wx, wy, e, other, guess, most / 2.0)
        centre[i, 0], centre[i, 1] = at[i, 0] + radius * wx, at[i, 1] + radius * wy
        room[i] = radius / long
        thick[i] = 2.0 * radius
        if kind[i] == CONVEX:
            room[i] = min(room[i], _beside(side, before, after, e))
            ax, ay, bx, by = -side[e, UY], side[e, UX], -side[other, UY], side[other, UX]
            if ax * bx + ay * by < FACING:
                thick[i] = 0.0
                continue
            if ax * bx + ay * by < SHARP:
                thick[i], sure[i] = 0.0, False
                continue
        if guess < 0:
            continue
        cx, cy = centre[i, 0], centre[i, 1]
        if kind[i] == CONVEX:
            cos = min(
                faces(side, guess, what, cx, cy, radius, ax, ay),
                faces(side, guess, what, cx, cy, radius, bx, by),
            )
        else:
            cos = faces(side, guess, what, cx, cy, radius, wx, wy)
        sure[i] = cos < FACING
        if sure[i]:
            on = 0.0
            if what == 1:
                on = (cx - side[guess, 0]) * side[guess, UX] + (cy - side[guess, 1]) * side[guess, UY]
                on /= side[guess, LONG]
            k = head[guess] + int(on * (int(side[guess, LONG] / spacing) + 1) + 0.5)
            r = ring[guess]
            mate[i] = k if k < starts[r + 1] else starts[r]
    for r in range(start.shape[0] - 1):
        _fill_corners(thick, sure, starts[r], starts[r + 1])
    return at, kind, edge, starts, room, thick, sure, mate, centre


@kernel
def _beside(side, before, after, e):  # type: ignore[no-untyped-def]
    """Return how far a corner's sides may be moved in until one of them ends at a reflex corner."""
    p = before[e]
    half = np.tan(
        0.5
        * np.arctan2(
            side[p, UX] * side[e, UY] - side[p, UY] * side[e, UX], side[p, UX] * side[e, UX] + side[p, UY] * side[e, UY]
        )
    )
    least = NEVER
    if side[p, BENT] > 0.0 and half > 0.0:
        least = min(least, side[p, LONG] / half)
    if side[after[e], BENT] > 0.0 and half > 0.0:
        least = min(least, side[e, LONG] / half)
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
