"""Level rows across shapes: the stretches of them that rings, rectangles and discs cover, as sorted lists of pairs.

Row ``k`` lies at ``low + k * pitch``. Their stretches lie in one (n, 2) array; those of row ``k`` are
``pairs[place[k]:end[k]]``. Lengths are mm, exact for each row.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

PARALLEL = 1e-9  # sine: what runs along a row any closer is not cut with it


@kernel
def across_disc(x, y, radius, row):  # type: ignore[no-untyped-def]
    """Return where a row crosses a disc (low > high where it does not)."""
    d = radius * radius - (row - y) ** 2
    if d <= 0.0:
        return np.inf, -np.inf
    half = np.sqrt(d)
    return x - half, x + half


@kernel
def bar_of(x0, y0, x1, y1, half):  # type: ignore[no-untyped-def]
    """Describe a rectangle, given by its middle line and half its width, by where rows cross its sides.

    A row at height y crosses the two ends at ``end - y * lean`` and the two long sides at ``side + y * slope``; what is
    level lies within heights instead. Returns both ends, lean, both sides, slope, and the lowest and highest row.
    """
    way = np.hypot(x1 - x0, y1 - y0)
    ux, uy = (1.0, 0.0) if way == 0.0 else ((x1 - x0) / way, (y1 - y0) / way)
    rise = half * abs(ux)
    lean = slope = 0.0
    low_end, high_end, low_side, high_side = -np.inf, np.inf, -np.inf, np.inf
    if abs(ux) > PARALLEL:
        lean = uy / ux
        a, b = x0 + y0 * lean, x0 + y0 * lean + way / ux
        low_end, high_end = min(a, b), max(a, b)
    if abs(uy) > PARALLEL:
        slope = ux / uy
        reach = abs(half / uy)
        middle = x0 - y0 * slope
        low_side, high_side = middle - reach, middle + reach
    return low_end, high_end, lean, low_side, high_side, slope, min(y0, y1) - rise, max(y0, y1) + rise


@kernel
def across(bar, row):  # type: ignore[no-untyped-def]
    """Return where a row crosses a rectangle (low > high where it does not): between its ends and between its sides."""
    low_end, high_end, lean, low_side, high_side, slope, bottom, top = bar
    if row < bottom or row > top:
        return np.inf, -np.inf
    return max(low_end - row * lean, low_side + row * slope), min(high_end - row * lean, high_side + row * slope)


@kernel
def sort_short(values, first, last):  # type: ignore[no-untyped-def]
    """Sort a short stretch in place (shell sort; numba's own sort takes seconds to compile)."""
    gap = 1
    while gap < (last - first) // 3:
        gap = 3 * gap + 1
    while gap > 0:
        for i in range(first + gap, last):
            value = values[i]
            j = i
            while j >= first + gap and values[j - gap] > value:
                values[j] = values[j - gap]
                j -= gap
            values[j] = value
        gap //= 3


@kernel
def _sort_pairs(pairs, first, last):  # type: ignore[no-untyped-def]
    """The same for pairs, by their first number."""
    gap = 1
    while gap < (last - first) // 3:
        gap = 3 * gap + 1
    while gap > 0:
        for i in range(first + gap, last):
            low, high = pairs[i, 0], pairs[i, 1]
            j = i
            while j >= first + gap and pairs[j - gap, 0] > low:
                pairs[j, 0], pairs[j, 1] = pairs[j - gap, 0], pairs[j - gap, 1]
                j -= gap
            pairs[j, 0], pairs[j, 1] = low, high
        gap //= 3


@kernel
def lay(pairs, first, last, low, high):  # type: ignore[no-untyped-def]
    """Append a stretch to those of a row, or join it to the last one if they touch; returns where the list ends."""
    if last > first and low <= pairs[last - 1, 1] and high >= pairs[last - 1, 0]:
        pairs[last - 1, 0] = min(pairs[last - 1, 0], low)
        pairs[last - 1, 1] = max(pairs[last - 1, 1], high)
        return last
    pairs[last, 0], pairs[last, 1] = low, high
    return last + 1


@kernel
def _united(pairs, first, last):  # type: ignore[no-untyped-def]
    """Merge sorted stretches in place; returns where the list ends then."""
    w = first
    for i in range(first, last):
        w = lay(pairs, first, w, pairs[i, 0], pairs[i, 1])
    return w


@kernel
def unite(pairs, place, end):  # type: ignore[no-untyped-def]
    """Sort and merge each row's stretches in place."""
    for k in range(end.shape[0]):
        _sort_pairs(pairs, place[k], end[k])
        end[k] = _united(pairs, place[k], end[k])


@kernel
def total(pairs, first, last):  # type: ignore[no-untyped-def]
    """Return the sum of some stretches' lengths."""
    total = 0.0
    for i in range(first, last):
        total += pairs[i, 1] - pairs[i, 0]
    return total


@kernel
def common(a, a0, a1, b, b0, b1):  # type: ignore[no-untyped-def]
    """Return the length two lists of sorted, separate stretches have in common."""
    total = 0.0
    i, j = a0, b0
    while i < a1 and j < b1:
        low = max(a[i, 0], b[j, 0])
        high = min(a[i, 1], b[j, 1])
        if high > low:
            total += high - low
        if a[i, 1] < b[j, 1]:
            i += 1
        else:
            j += 1
    return total


@kernel
def widest(inside, a0, a1, open_, b0, b1, drawn, d0, d1):  # type: ignore[no-untyped-def]
    """Return the longest stretch that is inside and neither open nor drawn, and its middle; all lists sorted."""
    best = middle = 0.0
    b, d = b0, d0
    for a in range(a0, a1):
        at, end = inside[a, 0], inside[a, 1]
        while at < end:
            while b < b1 and open_[b, 1] <= at:
                b += 1
            while d < d1 and drawn[d, 1] <= at:
                d += 1
            if b < b1 and open_[b, 0] <= at:
                at = open_[b, 1]
                continue
            if d < d1 and drawn[d, 0] <= at:
                at = drawn[d, 1]
                continue
            stop = end
            if b < b1:
                stop = min(stop, open_[b, 0])
            if d < d1:
                stop = min(stop, drawn[d, 0])
            if stop - at > best:
                best = stop - at
                middle = 0.5 * (at + stop)
            at = stop
    return best, middle


@kernel
def reached(bottom, top, low, pitch, rows):  # type: ignore[no-untyped-def]
    """Return the first row from a height on, and the first beyond another one."""
    return max(0, np.int64(np.ceil((bottom - low) / pitch))), min(rows, np.int64(np.ceil((top - low) / pitch)))


@kernel
def _ring_rows(xy, start, low, pitch, rows, cut, place, fill):  # type: ignore[no-untyped-def]
    """Count (or fill in) where rings cross the rows."""
    for r in range(start.shape[0] - 1):
        j = start[r + 1] - 1
        for i in range(start[r], start[r + 1]):
            y0, y1 = xy[j, 1], xy[i, 1]
            first, last = reached(min(y0, y1), max(y0, y1), low, pitch, rows)
            for k in range(first, last):
                if fill:
                    y = low + k * pitch
                    cut[place[k]] = xy[j, 0] + (xy[i, 0] - xy[j, 0]) * (y - y0) / (y1 - y0)
                    place[k] += 1
                else:
                    place[k + 1] += 1
            j = i
    return 0


@kernel
def ring_stretches(xy, start, low, pitch, rows):  # type: ignore[no-untyped-def]
    """Return the sorted stretches of rows inside rings (even-odd), and where each row's begin."""
    place = np.zeros(rows + 1, np.int64)
    _ring_rows(xy, start, low, pitch, rows, np.empty(0), place, False)
    for k in range(rows):
        place[k + 1] += place[k]
    cut = np.empty(place[rows])
    _ring_rows(xy, start, low, pitch, rows, cut, place[:rows].copy(), True)
    pairs = np.empty((cut.shape[0] // 2, 2))
    for k in range(rows):
        sort_short(cut, place[k], place[k + 1])
        for i in range(place[k] // 2, place[k + 1] // 2):
            pairs[i, 0], pairs[i, 1] = cut[2 * i], cut[2 * i + 1]
    for k in range(rows + 1):
        place[k] //= 2
    return pairs, place


@kernel
def line_places(xy, start, width, low, pitch, rows):  # type: ignore[no-untyped-def]
    """Return where each row's stretches begin, with room for one of each segment that may reach it."""
    place = np.zeros(rows + 1, np.int64)
    for p in range(start.shape[0] - 1):
        half = 0.5 * width[p]
        for i in range(start[p], start[p + 1] - 1):
            y0, y1 = xy[i, 1], xy[i + 1, 1]
            first, last = reached(min(y0, y1) - half, max(y0, y1) + half, low, pitch, rows)
            for k in range(first, last):
                place[k + 1] += 1
    for k in range(rows):
        place[k + 1] += place[k]
    return place
