"""End runs: where lines end at a wall, they follow it to the next line's end."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.ragged import Index, Points, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.patterns.rings import gathered
from even_step.core.work import Crew, runs_of

ON_WALL = 0.02  # mm, an end this near the outline lies on it


def with_end_runs(strokes: Strokes, rooms: Regions, most: float, crew: Crew) -> Strokes:
    """Join lines whose ends lie on a room's outline no further apart along it than ``most`` mm, the nearest first."""
    rings = region.rings(rooms)
    of_room = rings.starts_by_item(len(rooms))

    def join(first: int, last: int) -> tuple[Points, Index, Index]:
        laid: list[tuple[Points, Index]] = []
        for i in range(first, last):
            a, b = int(strokes.cell[i]), int(strokes.cell[i + 1])
            places = rings.start[of_room[i] : of_room[i + 1] + 1]
            laid.append(_join(strokes.xy, strokes.start[a : b + 1], rings.xy, places, most))
        counts = np.array([len(one[1]) - 1 for one in laid], np.int64)
        lengths = [np.diff(one[1]) for one in laid]
        return (
            np.concatenate([one[0] for one in laid]),
            starts_of(np.concatenate(lengths) if lengths else np.empty(0, np.int64)),
            starts_of(counts),
        )

    return gathered(crew.each(join, runs_of(np.diff(strokes.start[strokes.cell]), most=100_000)))


@kernel
def _along_outline(x, y, xy, start, boxes, cumulative):  # type: ignore[no-untyped-def]
    """Return the ring a point lies on and how far along it, (−1, 0) for none."""
    best = ON_WALL * ON_WALL
    found = -1
    place = 0.0
    for r in range(start.shape[0] - 1):
        if x < boxes[r, 0] or x > boxes[r, 1] or y < boxes[r, 2] or y > boxes[r, 3]:
            continue
        for i in range(start[r], start[r + 1]):
            j = i + 1 if i + 1 < start[r + 1] else start[r]
            x0, y0, x1, y1 = xy[i, 0], xy[i, 1], xy[j, 0], xy[j, 1]
            if (
                x < min(x0, x1) - ON_WALL
                or x > max(x0, x1) + ON_WALL
                or y < min(y0, y1) - ON_WALL
                or y > max(y0, y1) + ON_WALL
            ):
                continue
            ux, uy = x1 - x0, y1 - y0
            long = ux * ux + uy * uy
            share = min(max(((x - x0) * ux + (y - y0) * uy) / long, 0.0), 1.0) if long > 0.0 else 0.0
            far = (x - x0 - share * ux) ** 2 + (y - y0 - share * uy) ** 2
            if far < best:
                best = far
                found = r
                place = cumulative[i - start[0]] + share * np.sqrt(long)
    return found, place


def _join(xy: Points, start: Index, ring_xy: Points, ring_start: Index, most: float) -> tuple[Points, Index]:
    """Join the lines of one room; returns points and starts."""
    ring, place, cumulative, around = _places(xy, start, ring_xy, ring_start)
    gap, ahead = _gaps(np.lexsort((place, ring)), ring, place, around)
    mate, onward = _mates(np.argsort(gap, kind="stable"), gap, ahead, most)
    joined: tuple[Points, Index] = _chained(xy, start, ring_xy, ring_start, cumulative, ring, place, mate, onward)
    return joined


@kernel
def _places(xy, start, ring_xy, ring_start):  # type: ignore[no-untyped-def]
    """Return the ring and the place on it of each end, how far along its ring each corner is, and rings' lengths."""
    count = start.shape[0] - 1
    size = ring_start[ring_start.shape[0] - 1] - ring_start[0]
    cumulative = np.zeros(size + 1)
    around = np.zeros(ring_start.shape[0] - 1)
    boxes = np.empty((ring_start.shape[0] - 1, 4))
    for r in range(ring_start.shape[0] - 1):
        total = 0.0
        own = ring_xy[ring_start[r] : ring_start[r + 1]]
        boxes[r, 0], boxes[r, 1] = own[:, 0].min() - ON_WALL, own[:, 0].max() + ON_WALL
        boxes[r, 2], boxes[r, 3] = own[:, 1].min() - ON_WALL, own[:, 1].max() + ON_WALL
        for i in range(ring_start[r], ring_start[r + 1]):
            j = i + 1 if i + 1 < ring_start[r + 1] else ring_start[r]
            cumulative[i - ring_start[0]] = total
            total += np.hypot(ring_xy[j, 0] - ring_xy[i, 0], ring_xy[j, 1] - ring_xy[i, 1])
        around[r] = total
    ring = np.full(2 * count, -1, np.int64)
    place = np.zeros(2 * count)
    for p in range(count):
        for side in range(2):
            at = start[p] if side == 0 else start[p + 1] - 1
            ring[2 * p + side], place[2 * p + side] = _along_outline(
                xy[at, 0], xy[at, 1], ring_xy, ring_start, boxes, cumulative
            )
    return ring, place, cumulative, around


@kernel
def _gaps(order, ring, place, around):  # type: ignore[no-untyped-def]
    """Return how far along its ring the next end is from each (infinite for none), and which it is."""
    count = order.shape[0]
    gap = np.full(count, np.inf)
    ahead = np.full(count, -1, np.int64)
    k = 0
    while k < count:
        r = ring[order[k]]
        m = k
        while m < count and ring[order[m]] == r:
            m += 1
        if r >= 0 and m - k > 1:
            for i in range(k, m):
                e, f = order[i], order[i + 1 if i + 1 < m else k]
                way = place[f] - place[e]
                gap[e] = way if i + 1 < m else way + around[r]
                ahead[e] = f
        k = m
    return gap, ahead


@kernel
def _mates(order, gap, ahead, most):  # type: ignore[no-untyped-def]
    """Pair ends with the next along the ring, the nearest first, never closing a chain.

    Returns for each end its mate (−1 for none) and whether the way to it leads along the ring's sense.
    """
    count = order.shape[0] // 2
    mate = np.full(2 * count, -1, np.int64)
    onward = np.zeros(2 * count, np.bool_)
    chain = np.arange(count)
    for e in order:
        if not gap[e] <= most:
            break
        f = ahead[e]
        if mate[e] >= 0 or mate[f] >= 0:
            continue
        a, b = e // 2, f // 2
        while chain[a] != a:
            a = chain[a]
        while chain[b] != b:
            b = chain[b]
        if a == b:
            continue
        chain[max(a, b)] = min(a, b)
        mate[e], mate[f] = f, e
        onward[e] = True
    return mate, onward


@kernel
def _chained(xy, start, ring_xy, ring_start, cumulative, ring, place, mate, onward):  # type: ignore[no-untyped-def]
    """Write the chains of lines, with the ring's points between mates."""
    count = start.shape[0] - 1
    room = 64
    for p in range(count):
        room += start[p + 1] - start[p]
    for e in range(2 * count):
        if mate[e] >= 0 and onward[e]:
            room += ring_start[ring[e] + 1] - ring_start[ring[e]]
    points = np.empty((room, 2))
    starts = np.zeros(count + 1, np.int64)
    done = np.zeros(count, np.bool_)
    w = 0
    lines = 0
    for end in range(2 * count):
        if done[end // 2] or mate[end] >= 0:
            continue
        e = end
        while True:
            p = e // 2
            done[p] = True
            size = start[p + 1] - start[p]
            for i in range(size):
                q = start[p] + i if e % 2 == 0 else start[p + 1] - 1 - i
                points[w, 0], points[w, 1] = xy[q, 0], xy[q, 1]
                w += 1
            e = e ^ 1
            if mate[e] < 0:
                break
            w = _along_ring(points, w, ring_xy, ring_start, cumulative, ring[e], place[e], place[mate[e]], onward[e])
            e = mate[e]
        lines += 1
        starts[lines] = w
    return points[:w].copy(), starts[: lines + 1].copy()


@kernel
def _along_ring(points, w, xy, start, cumulative, r, begin, end, onward):  # type: ignore[no-untyped-def]
    """Write the corners of a ring between two places on it."""
    first, size = start[r], start[r + 1] - start[r]
    base = first - start[0]
    low, high = (begin, end) if onward else (end, begin)
    wraps = high < low
    corners = 0
    for turn in range(2):
        for i in range(size):
            s = cumulative[base + i]
            inside = (s > low + 1e-6 and turn == 0 and (wraps or s < high - 1e-6)) or (
                wraps and turn == 1 and s < high - 1e-6
            )
            if inside:
                points[w + corners, 0], points[w + corners, 1] = xy[first + i, 0], xy[first + i, 1]
                corners += 1
    if not onward:
        for i in range(corners // 2):
            j = corners - 1 - i
            x, y = points[w + i, 0], points[w + i, 1]
            points[w + i, 0], points[w + i, 1] = points[w + j, 0], points[w + j, 1]
            points[w + j, 0], points[w + j, 1] = x, y
    return w + corners
