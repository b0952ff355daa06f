"""Where a line hangs over air it is parted by how much of its width is held: by tenths, each laid in its own way."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index
from even_step.core.toolpath.courses import ALL_HELD

STEP = 0.4  # mm from one place that is looked at to the next
SHORTEST = 1.0  # mm: a shorter stretch is laid like the one before it


def outlines_below(which: Index) -> Index:
    """Return the outline below each layer (L,) where it is another, −1 where all lines are held."""
    before = np.concatenate((which[:1], which[:-1]))
    return np.where(before == which, -1, before)


@kernel
def parted_by_hold(xy, start, width, asked, near, begin):  # type: ignore[no-untyped-def]
    """Part lines by the share of their width that lies over the layer below.

    ``width`` holds for each point the width to the next, mm; ``asked`` says which lines are looked at; ``near`` are
    edges of the layer below with their grid; from the share ``begin`` on a line counts as held. Returns points (those
    at a change twice), widths, starts, tenths that are held (10 for all), and the number of the line each came from.
    """
    count = start.shape[0] - 1
    room = 0
    for p in range(count):
        for i in range(start[p], start[p + 1] - 1):
            room += 2 + (_places(xy, i) if asked[p] else 0)
        room += 2
    points, wide = np.empty((2 * room, 2)), np.empty(2 * room)
    starts = np.zeros(room + 1, np.int64)
    tenths, origin = np.empty(room, np.uint8), np.empty(room, np.int64)
    w, n = 0, 0
    for p in range(count):
        a, b = start[p], start[p + 1]
        total = 0
        for i in range(a, b - 1):
            total += _places(xy, i)
        tenth = np.full(total, ALL_HELD, np.uint8)
        if asked[p]:
            _look(xy, a, b, width, near, begin, tenth)
            _smooth(xy, a, b, tenth)
        k = 0
        points[w, 0], points[w, 1], wide[w] = xy[a, 0], xy[a, 1], width[a]
        w += 1
        for i in range(a, b - 1):
            places = _places(xy, i)
            for m in range(places):
                if k > 0 and tenth[k] != tenth[k - 1]:
                    x = xy[i, 0] + (xy[i + 1, 0] - xy[i, 0]) * m / places
                    y = xy[i, 1] + (xy[i + 1, 1] - xy[i, 1]) * m / places
                    if m > 0:  # else the line ends at a point of its own
                        points[w, 0], points[w, 1], wide[w] = x, y, width[i]
                        w += 1
                    tenths[n], origin[n] = tenth[k - 1], p
                    n += 1
                    starts[n] = w
                    points[w, 0], points[w, 1], wide[w] = x, y, width[i]
                    w += 1
                k += 1
            points[w, 0], points[w, 1], wide[w] = xy[i + 1, 0], xy[i + 1, 1], width[i + 1]
            w += 1
        tenths[n], origin[n] = tenth[total - 1] if total > 0 else ALL_HELD, p
        n += 1
        starts[n] = w
    return points[:w].copy(), wide[:w].copy(), starts[: n + 1].copy(), tenths[:n].copy(), origin[:n].copy()


@kernel
def _places(xy, i):  # type: ignore[no-untyped-def]
    """Return at how many places the way from a point to the next is looked at."""
    return max(1, int(np.ceil(np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1]) / STEP)))


@kernel
def _look(xy, a, b, width, near, begin, tenth):  # type: ignore[no-untyped-def]
    """Find what share of a line's width is held at each place."""
    edges = near[0]
    known, inside = False, False
    k = 0
    for i in range(a, b - 1):
        places = _places(xy, i)
        for m in range(places):
            share = (m + 0.5) / places
            x = xy[i, 0] + (xy[i + 1, 0] - xy[i, 0]) * share
            y = xy[i, 1] + (xy[i + 1, 1] - xy[i, 1]) * share
            # Farther than from one place to the next, so that no edge is passed unseen.
            deep = _deep(near, x, y, width[i] / 2 + STEP)
            if np.isfinite(deep):
                known, inside = True, deep > 0.0
                held = min(max(0.5 + deep / width[i], 0.0), 1.0)
            else:
                if not known:
                    known, inside = True, _is_within(edges, x, y)
                held = 1.0 if inside else 0.0
            if held < begin:
                tenth[k] = min(ALL_HELD - 1, int(held * 10.0 + 0.5))
            k += 1


@kernel
def _deep(near, x, y, reach):  # type: ignore[no-untyped-def]
    """Return how deep within the region a point lies, below 0 outside; infinite where no edge is within ``reach``."""
    edges, frame, first, item = near
    cell, columns, rows = frame[2], int(frame[3]), int(frame[4])
    best, side, off = reach * reach, np.inf, -1.0
    low_x, high_x = int(np.floor((x - reach - frame[0]) / cell)), int(np.floor((x + reach - frame[0]) / cell))
    low_y, high_y = int(np.floor((y - reach - frame[1]) / cell)), int(np.floor((y + reach - frame[1]) / cell))
    for gy in range(max(0, low_y), min(rows - 1, high_y) + 1):
        for gx in range(max(0, low_x), min(columns - 1, high_x) + 1):
            for q in range(first[gy * columns + gx], first[gy * columns + gx + 1]):
                e = item[q]
                ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
                long = ux * ux + uy * uy
                if long == 0.0:
                    continue
                px, py = x - edges[e, 0], y - edges[e, 1]
                share = min(max((px * ux + py * uy) / long, 0.0), 1.0)
                away = (px - share * ux) ** 2 + (py - share * uy) ** 2
                cross = (ux * py - uy * px) / np.sqrt(long)
                # At a corner both edges are as near; the one that is seen less aslant knows the side.
                if away < best - 1e-9 or (away < best + 1e-9 and abs(cross) > off):
                    best, off = min(best, away), abs(cross)
                    side = np.sqrt(away) if cross > 0.0 else -np.sqrt(away)
    return side


@kernel
def _is_within(edges, x, y):  # type: ignore[no-untyped-def]
    odd = False
    for e in range(edges.shape[0]):
        ya, yb = edges[e, 1], edges[e, 3]
        if (ya > y) != (yb > y) and x < edges[e, 0] + (edges[e, 2] - edges[e, 0]) * (y - ya) / (yb - ya):
            odd = not odd
    return odd


@kernel
def _smooth(xy, a, b, tenth):  # type: ignore[no-untyped-def]
    """Lay stretches that are too short like the one before; the first like the one after."""
    count = tenth.shape[0]
    long = np.empty(count)
    k = 0
    for i in range(a, b - 1):
        places = _places(xy, i)
        step = np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1]) / places
        for _ in range(places):
            long[k] = step
            k += 1
    k = 0
    while k < count:
        end, length = k, 0.0
        while end < count and tenth[end] == tenth[k]:
            length += long[end]
            end += 1
        if length < SHORTEST and (k > 0 or end < count):
            other = tenth[k - 1] if k > 0 else tenth[end]
            for m in range(k, end):
                tenth[m] = other
            # What became one with the stretch after it is measured again with it.
            while k == 0 and end < count and tenth[end] == other:
                end += 1
        k = end
