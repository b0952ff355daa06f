"""Stage 9: ways between lines that stay inside the part where the detour is small."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import travel as keys
from even_step.core.catalogue import walls as wall_keys
from even_step.core.kernels import kernel
from even_step.core.plane.segments import edges_of, grid_of

MOST_RINGS = 8  # a way that meets more outlines goes straight
CELL = 2.0  # mm
MOST_POINTS = 64  # of a way before it is pulled taut


@dataclass(frozen=True)
class WaySettings:
    """From which length on ways matter, how much longer a detour may be (a ratio), and how long in all, mm.

    ``outer_width`` is that of the outermost wall: ways along an outline keep half of it off.
    """

    retract_from: Annotated[float, keys.RETRACT_FROM]
    inside: Annotated[bool, keys.INSIDE]
    detour: Annotated[float, keys.WAY_ROUND]
    inside_up_to: Annotated[float, keys.INSIDE_UP_TO]
    outer_width: Annotated[float, wall_keys.OUTER_WIDTH]


@kernel
def _met(x0, y0, x1, y1, near, cut, met):  # type: ignore[no-untyped-def]
    """Find where a way meets the edges of the outlines; returns how often (−1 for more than there is room for)."""
    edges, frame, first, item = near
    count = 0
    dx, dy = x1 - x0, y1 - y0
    long = dx * dx + dy * dy
    if long == 0.0:
        return 0
    cell, columns, rows = frame[2], int(frame[3]), int(frame[4])
    c = max(0, int(np.floor((min(y0, y1) - frame[1]) / cell)))
    d = min(rows - 1, int(np.floor((max(y0, y1) - frame[1]) / cell)))
    for gy in range(c, d + 1):
        # The part of the way within this row of cells.
        low, high = 0.0, 1.0
        if dy != 0.0:
            s, t = (frame[1] + gy * cell - y0) / dy, (frame[1] + (gy + 1) * cell - y0) / dy
            low, high = max(low, min(s, t)), min(high, max(s, t))
        u, v = x0 + dx * low, x0 + dx * high
        a = max(0, int(np.floor((min(u, v) - frame[0]) / cell - 1e-9)))
        b = min(columns - 1, int(np.floor((max(u, v) - frame[0]) / cell + 1e-9)))
        for gx in range(a, b + 1):
            for k in range(first[gy * columns + gx], first[gy * columns + gx + 1]):
                e = item[k]
                ax, ay, bx, by = edges[e, 0], edges[e, 1], edges[e, 2], edges[e, 3]
                side_a = dx * (ay - y0) - dy * (ax - x0)
                side_b = dx * (by - y0) - dy * (bx - x0)
                if (side_a > 0.0) == (side_b > 0.0):
                    continue
                share = side_a / (side_a - side_b)
                px, py = ax + (bx - ax) * share, ay + (by - ay) * share
                at = ((px - x0) * dx + (py - y0) * dy) / long
                if at <= 0.0 or at >= 1.0:
                    continue
                known = False  # an edge lies in several cells
                for m in range(count):
                    known = known or met[m] == e
                if known:
                    continue
                if count >= cut.shape[0]:
                    return -1
                cut[count], met[count] = at, e
                count += 1
    return count


@kernel
def _inward(xy, first, last, i, by):  # type: ignore[no-untyped-def]
    """Return a ring's point moved into the material to its left."""
    p = i - 1 if i > first else last - 1
    n = i + 1 if i + 1 < last else first
    ux, uy = xy[i, 0] - xy[p, 0], xy[i, 1] - xy[p, 1]
    vx, vy = xy[n, 0] - xy[i, 0], xy[n, 1] - xy[i, 1]
    a, b = max(np.hypot(ux, uy), 1e-12), max(np.hypot(vx, vy), 1e-12)
    mx, my = -(uy / a + vy / b), ux / a + vx / b
    size = max(np.hypot(mx, my), 1e-6)
    return xy[i, 0] + mx / size * by, xy[i, 1] + my / size * by


@kernel
def _along(way, n, xy, start, r, leave, enter, from_x, from_y, to_x, to_y, by):  # type: ignore[no-untyped-def]
    """Follow a ring the shorter way round from the edge where it is met to the edge where it is left.

    ``leave`` and ``enter`` are the numbers of the edges' second points. Returns how many points the way has.
    """
    first, last = start[r], start[r + 1]
    size = last - first
    best = np.inf
    forward = True
    for sense in range(2):
        length = 0.0
        px, py = from_x, from_y
        i = leave if sense == 0 else first + (leave - first - 1 + size) % size
        end = enter if sense == 0 else first + (enter - first - 1 + size) % size
        while i != end:
            length += np.hypot(xy[i, 0] - px, xy[i, 1] - py)
            px, py = xy[i, 0], xy[i, 1]
            i = first + (i - first + (1 if sense == 0 else size - 1)) % size
        length += np.hypot(to_x - px, to_y - py)
        if length < best:
            best = length
            forward = sense == 0
    i = leave if forward else first + (leave - first - 1 + size) % size
    end = enter if forward else first + (enter - first - 1 + size) % size
    while i != end:
        if n >= way.shape[0] - 1:
            return -1
        way[n, 0], way[n, 1] = _inward(xy, first, last, i, by)
        n += 1
        i = first + (i - first + (1 if forward else size - 1)) % size
    return n


@kernel
def _detour(x0, y0, x1, y1, xy, start, ring_of, near, way, cut, met, by):  # type: ignore[no-untyped-def]
    """Find a way round the outlines that a straight one meets; returns its points in between, −1 for none."""
    n = 0
    px, py = x0, y0
    for _ in range(MOST_RINGS):
        count = _met(px, py, x1, y1, near, cut, met)
        if count == 0:
            return n
        if count < 0:
            return -1
        nearest = 0
        for k in range(1, count):
            if cut[k] < cut[nearest]:
                nearest = k
        ring = ring_of[met[nearest]]
        far = nearest
        times = 0
        for k in range(count):
            if ring_of[met[k]] == ring:
                times += 1
                if cut[k] > cut[far]:
                    far = k
        if times % 2 == 1:
            return -1  # the ends lie in different islands
        dx, dy = x1 - px, y1 - py
        ax, ay = px + dx * cut[nearest], py + dy * cut[nearest]
        bx, by_ = px + dx * cut[far], py + dy * cut[far]
        leave, enter = start[0] + met[nearest], start[0] + met[far]
        n = _along(way, n, xy, start, ring, leave, enter, ax, ay, bx, by_, by)
        if n < 0 or n >= way.shape[0] - 1:
            return -1
        # A little on, into the material again.
        size = np.hypot(dx, dy)
        px, py = bx + dx / size * 0.01, by_ + dy / size * 0.01
        way[n, 0], way[n, 1] = px, py
        n += 1
    return -1


@kernel
def _taut(x0, y0, x1, y1, way, n, near, cut, met):  # type: ignore[no-untyped-def]
    """Leave out points of a way that can be passed straight; returns how many remain."""
    w = 0
    px, py = x0, y0
    i = 0
    while i < n:
        reach = i
        for k in range(n, i, -1):
            tx, ty = (x1, y1) if k == n else (way[k, 0], way[k, 1])
            if _met(px, py, tx, ty, near, cut, met) == 0:
                reach = k
                break
        if reach == n:
            return w
        way[w, 0], way[w, 1] = way[reach, 0], way[reach, 1]
        px, py = way[w, 0], way[w, 1]
        w += 1
        i = reach + 1
    return w


@kernel
def plan_ways(xy, start, linked, ring_xy, ring_start, least, detour, longest, by):  # type: ignore[no-untyped-def]
    """Plan the ways between the paths of a layer.

    Ways that stay inside are marked as linked, in place. Returns the points passed on the way to each path, and where
    they begin.
    """
    count = start.shape[0] - 1
    points = np.empty((64, 2))
    places = np.zeros(count + 1, np.int64)
    way = np.empty((MOST_POINTS, 2))
    cut = np.empty(64)
    met = np.empty(64, np.int64)
    edges = edges_of(ring_xy, ring_start)
    frame, first, item = grid_of(edges, CELL)
    near = (edges, frame, first, item)
    ring_of = np.empty(edges.shape[0], np.int64)
    for r in range(ring_start.shape[0] - 1):
        for i in range(ring_start[r], ring_start[r + 1]):
            ring_of[i - ring_start[0]] = r
    w = 0
    for p in range(count):
        places[p + 1] = w
        if p == 0 or linked[p]:
            continue
        x0, y0 = xy[start[p] - 1, 0], xy[start[p] - 1, 1]
        x1, y1 = xy[start[p], 0], xy[start[p], 1]
        straight = np.hypot(x1 - x0, y1 - y0)
        if straight < least or straight > longest:
            continue
        n = _detour(x0, y0, x1, y1, ring_xy, ring_start, ring_of, near, way, cut, met, by)
        if n < 0:
            continue
        n = _taut(x0, y0, x1, y1, way, n, near, cut, met)
        total = 0.0
        px, py = x0, y0
        for k in range(n + 1):
            qx, qy = (x1, y1) if k == n else (way[k, 0], way[k, 1])
            total += np.hypot(qx - px, qy - py)
            if _met(px, py, qx, qy, near, cut, met) != 0:
                total = np.inf
            px, py = qx, qy
        if total > longest or total > detour * straight:
            continue
        linked[p] = True
        if w + n > points.shape[0]:
            more = np.empty((2 * (w + n), 2))
            more[:w] = points[:w]
            points = more
        for k in range(n):
            points[w, 0] = np.round(way[k, 0] * 1000.0) / 1000.0
            points[w, 1] = np.round(way[k, 1] * 1000.0) / 1000.0
            w += 1
        places[p + 1] = w
    return points[:w].copy(), places
