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
    places = _places(xy, start, asked)
    room = 2 * count + 2 * int(places.sum()) + 1
    points, wide = np.empty((room, 2)), np.empty(room)
    starts = np.zeros(room + 1, np.int64)
    tenths, origin = np.empty(room, np.uint8), np.empty(room, np.int64)
    tenth, step = np.empty(room, np.uint8), np.empty(room)
    w, n = 0, 0
    for p in range(count):
        a, b = start[p], start[p + 1]
        total = 0
        for i in range(a, b - 1):
            tenth[total : total + places[i]] = ALL_HELD
            total += places[i]
        if asked[p]:
            _look(xy, a, b, width, places, near, begin, tenth, step)
            _smooth(tenth[:total], step)
        k = 0
        points[w, 0], points[w, 1], wide[w] = xy[a, 0], xy[a, 1], width[a]
        w += 1
        for i in range(a, b - 1):
            for m in range(places[i]):
                if k > 0 and tenth[k] != tenth[k - 1]:
                    x = xy[i, 0] + (xy[i + 1, 0] - xy[i, 0]) * m / places[i]
                    y = xy[i, 1] + (xy[i + 1, 1] - xy[i, 1]) * m / places[i]
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
def _places(xy, start, asked):  # type: ignore[no-untyped-def]
    """Return at how many places the way from each point to the next is looked at, 0 after the last of a line."""
    out = np.zeros(xy.shape[0], np.int64)
    for p in range(start.shape[0] - 1):
        for i in range(start[p], start[p + 1] - 1):
            out[i] = 1
            if asked[p]:
                dx, dy = xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1]
                square = dx * dx + dy * dy
                if square > STEP * STEP:
                    out[i] = int(np.ceil(np.sqrt(square) / STEP))
    return out


@kernel
def _look(xy, a, b, width, places, near, begin, tenth, step):  # type: ignore[no-untyped-def]
    """Find what share of a line's width is held at each place, and how long each is.

    The share comes from how deep within the region the middle of the line lies.

    In one loop, for calls of a kernel for each place would take longer than what is done in it.
    """
    edges, frame, first, item = near
    x0, y0, cell, columns, rows = frame[0], frame[1], frame[2], int(frame[3]), int(frame[4])
    known, inside = False, False
    k = 0
    for i in range(a, b - 1):
        long = np.sqrt((xy[i + 1, 0] - xy[i, 0]) ** 2 + (xy[i + 1, 1] - xy[i, 1]) ** 2) / max(places[i], 1)
        # Farther than from one place to the next, so that no edge is passed unseen.
        reach = width[i] / 2 + STEP
        for m in range(places[i]):
            step[k] = long
            share = (m + 0.5) / places[i]
            x = xy[i, 0] + (xy[i + 1, 0] - xy[i, 0]) * share
            y = xy[i, 1] + (xy[i + 1, 1] - xy[i, 1]) * share
            best, its_cross, its_square = reach * reach, 0.0, 0.0
            low_x = max(0, int(np.floor((x - reach - x0) / cell)))
            high_x = min(columns - 1, int(np.floor((x + reach - x0) / cell)))
            low_y = max(0, int(np.floor((y - reach - y0) / cell)))
            high_y = min(rows - 1, int(np.floor((y + reach - y0) / cell)))
            for gy in range(low_y, high_y + 1):
                if high_x < low_x:
                    break
                # The cells of a row follow each other, and so do their edges.
                for q in range(first[gy * columns + low_x], first[gy * columns + high_x + 1]):
                    e = item[q]
                    ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
                    square = ux * ux + uy * uy
                    px, py = x - edges[e, 0], y - edges[e, 1]
                    cross, along = ux * py - uy * px, px * ux + py * uy
                    # Its line is farther than the nearest edge, or it has no length.
                    if cross * cross >= (best + 1e-9) * square:
                        continue
                    if 0.0 < along < square:
                        away = cross * cross / square
                    else:
                        px, py = px - (ux if along > 0.0 else 0.0), py - (uy if along > 0.0 else 0.0)
                        away = px * px + py * py
                    if away >= best + 1e-9:
                        continue
                    # At a corner both edges are as near; the one that is seen less aslant knows the side.
                    if away < best - 1e-9 or cross * cross * its_square > its_cross * its_cross * square:
                        best, its_cross, its_square = min(best, away), cross, square
            if its_square > 0.0:
                known, inside = True, its_cross > 0.0
                held = min(max(0.5 + (1.0 if inside else -1.0) * np.sqrt(best) / width[i], 0.0), 1.0)
            else:
                if not known:
                    known, inside = True, _is_within(edges, x, y)
                held = 1.0 if inside else 0.0
            if held < begin:
                tenth[k] = min(ALL_HELD - 1, int(held * 10.0 + 0.5))
            k += 1


@kernel
def _is_within(edges, x, y):  # type: ignore[no-untyped-def]
    odd = False
    for e in range(edges.shape[0]):
        ya, yb = edges[e, 1], edges[e, 3]
        if (ya > y) != (yb > y) and x < edges[e, 0] + (edges[e, 2] - edges[e, 0]) * (y - ya) / (yb - ya):
            odd = not odd
    return odd


@kernel
def _smooth(tenth, long):  # type: ignore[no-untyped-def]
    """Lay stretches that are too short like the one before; the first like the one after."""
    count = tenth.shape[0]
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
