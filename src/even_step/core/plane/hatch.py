"""Parallel lines clipped to regions, chained to and fro.

A cell is one region with one direction and one spacing. Lines lie where ``v`` is a whole number of
spacings from the origin, so that lines of neighbouring regions meet.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, Points, Rings, joined_starts
from even_step.core.plane.stretches import sort_short
from even_step.core.work import Crew, runs_of


@dataclass(frozen=True, eq=False)
class Hatch:
    """How to lay the lines of some cells.

    Attributes
    ----------
    angle : (C,) float64
        Direction of a cell's lines from the x axis, degrees.
    spacing : (C,) float64
        Distance of its lines, mm; 0 for no lines.
    origin : (float, float)
        A point the lines are counted from, mm.
    extend : (C,) float64
        How much each end reaches past the region, mm.
    join_within : (C,) float64
        Ends of neighbouring lines no further apart than this are joined, mm; both are shortened by half of
        the join, so that no plastic is laid twice.
    phase : (C,) float64
        How far the lines are shifted aside from there, mm.
    shortest : float
        Lines shorter than this are left out, mm.
    """

    angle: NDArray[np.float64]
    spacing: NDArray[np.float64]
    origin: tuple[float, float]
    extend: NDArray[np.float64]
    join_within: NDArray[np.float64]
    phase: NDArray[np.float64]
    shortest: float = 0.1


@dataclass(frozen=True, eq=False)
class Strokes:
    """Open lines, cell by cell.

    Attributes
    ----------
    xy : (N, 2) float64
        mm.
    start : (P + 1,) int64
        Where each path begins in ``xy``.
    linked : (P,) bool
        Whether a path follows the one before it to and fro through the same room.
    cell : (C + 1,) int64
        Where each cell's paths begin.
    """

    xy: Points
    start: Index
    linked: NDArray[np.bool_]
    cell: Index


def hatch(rings: Rings, how: Hatch, crew: Crew) -> Strokes:
    """Lay parallel lines in some cells; region ``i`` of the rings is cell ``i`` of the hatch."""
    cells = len(how.angle)
    of_cell = rings.starts_by_item(cells)
    weights = rings.start[of_cell[1:]] - rings.start[of_cell[:-1]]

    def lay(first: int, last: int) -> tuple[Points, Index, NDArray[np.bool_], Index]:
        result: tuple[Points, Index, NDArray[np.bool_], Index] = _hatch(
            rings.xy,
            rings.start,
            of_cell,
            how.angle,
            how.spacing,
            how.origin[0],
            how.origin[1],
            how.extend,
            how.join_within,
            how.phase,
            how.shortest,
            first,
            last,
        )
        return result

    done = crew.each(lay, runs_of(weights, most=200_000))
    if not done:
        return Strokes(np.empty((0, 2)), np.zeros(1, np.int64), np.empty(0, np.bool_), np.zeros(1, np.int64))
    return Strokes(
        np.concatenate([one[0] for one in done]),
        joined_starts([one[1] for one in done]),
        np.concatenate([one[2] for one in done]),
        joined_starts([one[3] for one in done]),
    )


def crossings(uv: Points, start: Index, spacing: float) -> tuple[NDArray[np.float64], Index, int]:
    """Return where rings cross the rows ``v = k·spacing``.

    Returns
    -------
    u : (2n,) float64
        Places, sorted within each row; two by two they bound what lies inside.
    row : (R + 1,) int64
        Where each row's begin.
    first : int
        Number ``k`` of the first row.
    """
    base = int(start[0]) if len(start) else 0
    size = np.arange(1, int(start[-1]) - base + 1) if len(start) else np.empty(0, np.int64)
    size[start[1:] - 1 - base] = start[:-1] - base
    u, row, first = _crossings(uv[base : base + len(size)], size, 0, len(size), spacing)
    return u, row, int(first)


@kernel
def _crossings(uv, size, first, last, spacing):  # type: ignore[no-untyped-def]
    """Sorted crossings of the rings with each row: places, row starts, and the number of the first row."""
    lowest = np.int64(1) << 60
    highest = -(np.int64(1) << 60)
    total = 0
    for i in range(first, last):
        low = np.int64(np.ceil(min(uv[i, 1], uv[size[i], 1]) / spacing))
        high = np.int64(np.ceil(max(uv[i, 1], uv[size[i], 1]) / spacing))
        if high > low:
            total += high - low
            lowest = min(lowest, low)
            highest = max(highest, high)
    if total == 0:
        return np.empty(0), np.zeros(1, np.int64), np.int64(0)
    rows = highest - lowest
    start = np.zeros(rows + 1, np.int64)
    for i in range(first, last):
        low = np.int64(np.ceil(min(uv[i, 1], uv[size[i], 1]) / spacing))
        high = np.int64(np.ceil(max(uv[i, 1], uv[size[i], 1]) / spacing))
        for row in range(low, high):
            start[row - lowest + 1] += 1
    for row in range(rows):
        start[row + 1] += start[row]
    place = start[:rows].copy()
    u = np.empty(total)
    for i in range(first, last):
        j = size[i]
        low = np.int64(np.ceil(min(uv[i, 1], uv[j, 1]) / spacing))
        high = np.int64(np.ceil(max(uv[i, 1], uv[j, 1]) / spacing))
        for row in range(low, high):
            share = (row * spacing - uv[i, 1]) / (uv[j, 1] - uv[i, 1])
            u[place[row - lowest]] = uv[i, 0] + (uv[j, 0] - uv[i, 0]) * share
            place[row - lowest] += 1
    for row in range(rows):
        sort_short(u, start[row], start[row + 1])
    return u, start, lowest


@kernel
def _lines(u, start, extend, shortest):  # type: ignore[no-untyped-def]
    """Pair crossings into lines: (first u, last u) a line, and where each row's lines begin."""
    lines = np.empty((u.shape[0] // 2, 2))
    row_start = np.zeros(start.shape[0], np.int64)
    w = 0
    for row in range(start.shape[0] - 1):
        for i in range(start[row], start[row + 1] - 1, 2):
            if u[i + 1] - u[i] >= shortest:
                lines[w, 0] = u[i] - extend
                lines[w, 1] = u[i + 1] + extend
                w += 1
        row_start[row + 1] = w
    return lines[:w], row_start


@kernel
def _neighbours(lines, row_start):  # type: ignore[no-untyped-def]
    """Link a line to the one in the next row that alone lies beside it, and that it alone lies beside."""
    count = lines.shape[0]
    above = np.full(count, -1, np.int64)
    follows = np.zeros(count, np.bool_)
    beside = np.zeros(count, np.int64)
    for row in range(row_start.shape[0] - 2):
        a, a_end = row_start[row], row_start[row + 1]
        b, b_end = a_end, row_start[row + 2]
        for i in range(b, b_end):
            beside[i] = 0
        i, j = a, b
        while i < a_end and j < b_end:
            if lines[i, 1] <= lines[j, 0]:
                i += 1
                continue
            if lines[j, 1] <= lines[i, 0]:
                j += 1
                continue
            above[i] = j if above[i] == -1 else -2
            beside[j] += 1
            if lines[i, 1] < lines[j, 1]:
                i += 1
            else:
                j += 1
        for i in range(a, a_end):
            if above[i] >= 0 and beside[above[i]] == 1:
                follows[above[i]] = True
            else:
                above[i] = -1
    return above, follows


@kernel
def _corners(uv, size, spacing, lowest, bands):  # type: ignore[no-untyped-def]
    """List the corners of the rings by the band between two rows they lie in: where each band's begin, and which."""
    start = np.zeros(bands + 1, np.int64)
    for i in range(uv.shape[0]):
        band = np.int64(np.floor(uv[i, 1] / spacing)) - lowest
        if 0 <= band < bands:
            start[band + 1] += 1
    for band in range(bands):
        start[band + 1] += start[band]
    place = start[:bands].copy()
    corner = np.empty(start[bands], np.int64)
    for i in range(uv.shape[0]):
        band = np.int64(np.floor(uv[i, 1] / spacing)) - lowest
        if 0 <= band < bands:
            corner[place[band]] = i
            place[band] += 1
    before = np.empty(uv.shape[0], np.int64)
    for i in range(uv.shape[0]):
        before[size[i]] = i
    return start, corner, before


@kernel
def _crosses(uv, i, j, px, py, qx, qy):  # type: ignore[no-untyped-def]
    """Whether the edge from one corner to another crosses the way from p to q; to touch it is not to cross."""
    ax, ay, bx, by = uv[i, 0], uv[i, 1], uv[j, 0], uv[j, 1]
    one = (qx - px) * (ay - py) - (qy - py) * (ax - px)
    other = (qx - px) * (by - py) - (qy - py) * (bx - px)
    if one * other >= 0.0:
        return False
    one = (bx - ax) * (py - ay) - (by - ay) * (px - ax)
    other = (bx - ax) * (qy - ay) - (by - ay) * (qx - ax)
    return one * other < 0.0


@kernel
def _is_free(uv, size, before, corner, px, py, qx, qy):  # type: ignore[no-untyped-def]
    """Whether none of the corners between two rows stands in the way from a line to the next."""
    low, high = min(px, qx), max(px, qx)
    for i in corner:
        for j in (before[i], size[i]):
            near = min(uv[i, 0], uv[j, 0]) <= high and max(uv[i, 0], uv[j, 0]) >= low
            if near and _crosses(uv, i, j, px, py, qx, qy):
                return False
    return True


@kernel
def _hatch(  # type: ignore[no-untyped-def]
    xy,
    ring_start,
    of_cell,
    angle,
    spacing,
    x0,
    y0,
    extend,
    join_within,
    phase,
    shortest,
    first,
    last,
):
    points = np.empty((1024, 2))
    start = np.zeros(512, np.int64)
    linked = np.zeros(512, np.bool_)
    cell = np.zeros(last - first + 1, np.int64)
    w = 0
    paths = 0
    for c in range(first, last):
        cell[c - first + 1] = paths
        a, b = ring_start[of_cell[c]], ring_start[of_cell[c + 1]]
        if b == a or spacing[c] <= 0.0:
            continue
        # Rounded, so that quarter turns are exact and a row on an edge counts once.
        cos = np.round(np.cos(np.radians(angle[c])), 15)
        sin = np.round(np.sin(np.radians(angle[c])), 15)
        uv = np.empty((b - a, 2))
        size = np.empty(b - a, np.int64)
        for r in range(of_cell[c], of_cell[c + 1]):
            for i in range(ring_start[r], ring_start[r + 1]):
                x, y = xy[i, 0] - x0, xy[i, 1] - y0
                uv[i - a, 0] = x * cos + y * sin
                uv[i - a, 1] = y * cos - x * sin - phase[c]
                size[i - a] = i - a + 1
            size[ring_start[r + 1] - 1 - a] = ring_start[r] - a
        u, row, lowest = _crossings(uv, size, 0, b - a, spacing[c])
        lines, row_start = _lines(u, row, extend[c], shortest)
        above, follows = _neighbours(lines, row_start)
        bands = row_start.shape[0] - 1 if join_within[c] > 0.0 else 0
        band, corner, previous = _corners(uv, size, spacing[c], lowest, bands)
        of_row = np.empty(lines.shape[0], np.int64)
        for r in range(row_start.shape[0] - 1):
            for i in range(row_start[r], row_start[r + 1]):
                of_row[i] = r + lowest
        need = w + 2 * lines.shape[0] + 2
        if need > points.shape[0]:
            wider = np.empty((2 * need, 2))
            wider[:w] = points[:w]
            points = wider
        if paths + lines.shape[0] + 2 > start.shape[0]:
            longer = np.zeros(2 * (paths + lines.shape[0] + 2), np.int64)
            longer[: paths + 1] = start[: paths + 1]
            start = longer
            flags = np.zeros(longer.shape[0], np.bool_)
            flags[:paths] = linked[:paths]
            linked = flags
        for head in range(lines.shape[0]):
            if follows[head]:
                continue
            i = head
            forward = True
            while True:
                v = of_row[i] * spacing[c] + phase[c]
                u_in = lines[i, 0] if forward else lines[i, 1]
                u_out = lines[i, 1] if forward else lines[i, 0]
                joined = False
                if i != head:
                    px, py = points[w - 1, 0], points[w - 1, 1]
                    reach = np.hypot(u_in - px, v - py)
                    before = abs(points[w - 1, 0] - points[w - 2, 0])
                    if reach <= join_within[c] and before > reach and abs(u_out - u_in) > reach:
                        inward = 0.5 * reach if forward else -0.5 * reach
                        here = corner[band[of_row[i] - 1 - lowest] : band[of_row[i] - lowest]]
                        ends = (px + inward, py - phase[c], u_in + inward, v - phase[c])
                        joined = len(here) == 0 or _is_free(uv, size, previous, here, *ends)
                    if joined:
                        points[w - 1, 0] += inward
                        u_in += inward
                if not joined:
                    if i != head:
                        paths += 1
                        start[paths] = w
                        linked[paths] = True
                    else:
                        linked[paths] = False
                points[w, 0], points[w, 1] = u_in, v
                points[w + 1, 0], points[w + 1, 1] = u_out, v
                w += 2
                if above[i] < 0:
                    break
                i = above[i]
                forward = not forward
            paths += 1
            start[paths] = w
        for p in range(start[cell[c - first + 1]], w):
            x = points[p, 0] * cos - points[p, 1] * sin + x0
            y = points[p, 0] * sin + points[p, 1] * cos + y0
            points[p, 0] = np.round(x * 1000.0) / 1000.0
            points[p, 1] = np.round(y * 1000.0) / 1000.0
        cell[c - first + 1] = paths
    # A cell without lines begins where the one before it ended.
    for c in range(1, last - first + 1):
        cell[c] = max(cell[c], cell[c - 1])
    return points[:w].copy(), start[: paths + 1].copy(), linked[:paths].copy(), cell
