"""Lines parted where they cross the borders of regions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region, valid
from even_step.core.plane.ragged import Index, Points
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import NEAR, Grids, grid_at, grids_of

CELL = 1.0  # mm, of the grids that find the borders
SAME = 1e-6  # mm, crossings so near each other are one
MICROMETRE = 1e-3  # mm, points of a line so near where it is parted are left out
TOUCH = 1e-9


@dataclass(frozen=True, eq=False)
class Parted:
    """Pieces of lines, line by line and along each.

    Attributes
    ----------
    xy, start
        Points, mm, and where each piece begins.
    line, cell : (P,) int64
        Which line each is of, and in which cell it lies.
    whole : (P,) bool
        Whether it is all of its line; then its points are the line's, to the bit.
    step, share : (N,) int64, (N,) float64
        In which step of the lines each point lies, by the number of the point it begins at, and how far along it.
    """

    xy: Points
    start: Index
    line: Index
    cell: Index
    whole: NDArray[np.bool_]
    step: Index
    share: NDArray[np.float64]


def parted_lines(xy: Points, start: Index, cells: Regions, shortest: float) -> Parted:
    """Part lines wherever they go from one cell to the next; nothing of them is left out.

    Pieces shorter than ``shortest`` mm go with a neighbour.
    """
    count = len(start) - 1
    reach = np.zeros(count, np.int64), np.full(count, len(cells))
    grids = grids_of(region.rings(cells), np.arange(len(cells)), len(cells), CELL).arrays
    at, begin = _borders(xy, start, *reach, grids, max(shortest, SAME))
    middles = _middles(xy, start, at, begin)
    number = _located(middles, begin, *reach, grids)
    lost = np.flatnonzero(number < 0)
    number[lost] = shapely.distance(shapely.points(middles[lost])[:, None], cells[None, :]).argmin(axis=1)
    return _rounded(Parted(*_cut(xy, start, at, begin, number, 0.0)))


def borders_of(regions: Regions) -> Grids:
    """Return the borders of regions in grids; what is the same region has one."""
    _, first, slot = np.unique([id(one) for one in regions], return_index=True, return_inverse=True)
    made = grids_of(region.rings(regions[first]), np.arange(len(first)), len(first), CELL)
    return Grids(slot.ravel(), made.arrays)


def lines_cut(xy: Points, start: Index, owner: Index, borders: Grids, shortest: float) -> Parted:
    """Cut each line to the region it is of; what is left are pieces no shorter than ``shortest`` mm, or all of it.

    ``owner`` is the region of each line, by its number among those whose borders are given (``borders_of``); the cells
    that are returned are numbers of grids.
    """
    own, grids = borders.slot[owner], borders.arrays
    at, begin = _borders(xy, start, own, own + 1, grids, SAME)
    number = _located(_middles(xy, start, at, begin), begin, own, own + 1, grids)
    return _rounded(Parted(*_cut(xy, start, at, begin, number, shortest)))


def lengths_within(xy: Points, start: Index, owner: Index, regions: Regions) -> NDArray[np.float64]:
    """Return how much of each line lies within the region it is of, (n,), mm; what runs over itself counts as often."""
    borders = borders_of(regions)
    own, grids = borders.slot[owner], borders.arrays
    at, begin = _borders(xy, start, own, own + 1, grids, SAME)
    number = _located(_middles(xy, start, at, begin), begin, own, own + 1, grids)
    ends = np.zeros(len(at), np.bool_)
    ends[begin[1:] - 1] = True  # from the end of a line to the next there is no piece
    line = np.repeat(np.arange(len(start) - 1), np.diff(begin) - 1)
    long = np.where(number >= 0, np.diff(at, append=0.0)[~ends], 0.0)
    return np.asarray(np.bincount(line, long, len(start) - 1), np.float64)


def between(values: NDArray[np.float64], pieces: Parted) -> NDArray[np.float64]:
    """Return what changes evenly from point to point of some lines at the points of their pieces."""
    after = np.minimum(pieces.step + 1, len(values) - 1)
    return values[pieces.step] + (values[after] - values[pieces.step]) * pieces.share[:, None]


def _rounded(pieces: Parted) -> Parted:
    """Put the points where lines were cut on the grid."""
    new = pieces.share > 0.0
    pieces.xy[new] = np.round(pieces.xy[new], valid.DECIMALS) + 0.0
    return pieces


@kernel
def _borders(xy, start, first_cell, last_cell, grids, apart):  # type: ignore[no-untyped-def]
    """Return how far along each line it meets the borders of its cells, no nearer than ``apart`` to each other.

    With both ends of each; second is where those of each line begin.
    """
    count = start.shape[0] - 1
    at = np.empty(4 * count + 64)
    begin = np.zeros(count + 1, np.int64)
    look = np.empty(64)
    w = 0
    for p in range(count):
        n, along = 0, 0.0
        for cell in range(first_cell[p], last_cell[p]):
            own, along = grid_at(grids, cell), 0.0
            for i in range(start[p], start[p + 1] - 1):
                long = np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1])
                n, look = _met(own, xy[i], xy[i + 1], along, long, n, look)
                along += long
        found = np.sort(look[:n])
        if w + n + 2 > at.shape[0]:
            more = np.empty(2 * (w + n + 2))
            more[:w] = at[:w]
            at = more
        at[w] = last = 0.0
        w += 1
        for one in found:
            if one - last > apart and along - one > apart:
                at[w] = last = one
                w += 1
        at[w] = along
        w += 1
        begin[p + 1] = w
    return at[:w].copy(), begin


@kernel
def _met(cells, a, b, along, long, n, look):  # type: ignore[no-untyped-def]
    """Add how far along a line its step from ``a`` to ``b`` meets edges, some of them more than once."""
    edges, frame, first, item = cells
    x0, y0, cell, columns, rows = frame[0], frame[1], frame[2], int(frame[3]), int(frame[4])
    wx, wy = b[0] - a[0], b[1] - a[1]
    low_x, high_x = min(a[0], b[0]) - NEAR, max(a[0], b[0]) + NEAR
    low_y, high_y = min(a[1], b[1]) - NEAR, max(a[1], b[1]) + NEAR
    lean = wx / wy if wy != 0.0 else 0.0
    for gy in range(max(0, int(np.floor((low_y - y0) / cell))), min(rows - 1, int(np.floor((high_y - y0) / cell))) + 1):
        left, right = low_x, high_x
        if high_y - low_y > cell:
            p = a[0] + (y0 + gy * cell - a[1]) * lean
            q = p + cell * lean
            left, right = max(left, min(p, q) - NEAR), min(right, max(p, q) + NEAR)
        c = max(0, int(np.floor((left - x0) / cell)))
        d = min(columns - 1, int(np.floor((right - x0) / cell)))
        if d < c:
            continue
        for k in range(first[gy * columns + c], first[gy * columns + d + 1]):
            e = item[k]
            ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
            turn = wx * uy - wy * ux
            if turn == 0.0:  # where a line runs along a border, those next to that one end the stretch
                continue
            px, py = edges[e, 0] - a[0], edges[e, 1] - a[1]
            share, across = (px * uy - py * ux) / turn, (px * wy - py * wx) / turn
            if abs(share - 0.5) <= 0.5 + TOUCH and abs(across - 0.5) <= 0.5 + TOUCH:
                if n == look.shape[0]:
                    more = np.empty(2 * n)
                    more[:n] = look
                    look = more
                look[n] = along + min(max(share, 0.0), 1.0) * long
                n += 1
    return n, look


@kernel
def _middles(xy, start, at, begin):  # type: ignore[no-untyped-def]
    """Return the point halfway between each two neighbours along a line, (n, 2)."""
    out = np.empty((at.shape[0] - begin.shape[0] + 1, 2))
    w = 0
    for p in range(start.shape[0] - 1):
        i, done = start[p], 0.0
        for k in range(begin[p], begin[p + 1] - 1):
            i, done, share = _place(xy, i, start[p + 1] - 1, done, 0.5 * (at[k] + at[k + 1]))
            j = min(i + 1, start[p + 1] - 1)
            out[w, 0] = xy[i, 0] + (xy[j, 0] - xy[i, 0]) * share
            out[w, 1] = xy[i, 1] + (xy[j, 1] - xy[i, 1]) * share
            w += 1
    return out


@kernel
def _place(xy, i, last, done, at):  # type: ignore[no-untyped-def]
    """Go on along a line to ``at``; returns the step, how long it is to where that begins, and the share of it."""
    while True:
        j = min(i + 1, last)
        long = np.hypot(xy[j, 0] - xy[i, 0], xy[j, 1] - xy[i, 1])
        if done + long >= at or i + 1 >= last:
            return i, done, min(max((at - done) / long, 0.0), 1.0) if long > 0.0 else 0.0
        done += long
        i += 1


@kernel
def _located(points, begin, first_cell, last_cell, grids):  # type: ignore[no-untyped-def]
    """Return in which of its line's cells each point lies, −1 for none; on a border in one of the two."""
    out = np.full(points.shape[0], -1, np.int64)
    w = 0
    for p in range(begin.shape[0] - 1):
        for _ in range(begin[p], begin[p + 1] - 1):
            for cell in range(first_cell[p], last_cell[p]):
                if _holds(grid_at(grids, cell), points[w, 0], points[w, 1]):
                    out[w] = cell
                    break
            w += 1
    return out


@kernel
def _holds(cells, x, y):  # type: ignore[no-untyped-def]
    """Tell whether a point lies within edges: how often a ray meets them, each where its cell knows it."""
    edges, frame, first, item = cells
    x0, y0, cell, columns, rows = frame[0], frame[1], frame[2], int(frame[3]), int(frame[4])
    gx, gy = int(np.floor((x - x0) / cell)), int(np.floor((y - y0) / cell))
    if gx >= columns or gy < 0 or gy >= rows or edges.shape[0] == 0:
        return False
    odd = False
    for g in range(max(gx, 0), columns):
        for k in range(first[gy * columns + g], first[gy * columns + g + 1]):
            e = item[k]
            ya, yb = edges[e, 1], edges[e, 3]
            if (ya > y) != (yb > y):
                at = edges[e, 0] + (edges[e, 2] - edges[e, 0]) * (y - ya) / (yb - ya)
                if at > x and min(max(int((at - x0) / cell), 0), columns - 1) == g:
                    odd = not odd
    return odd


@kernel
def _cut(xy, start, at, begin, number, shortest):  # type: ignore[no-untyped-def]
    """Write the stretches that lie in cells, neighbours in the same one as one, but none shorter than ``shortest``.

    Returns points, starts, lines, cells, which are all of their line, and step and share of each point.
    """
    room = xy.shape[0] + 2 * at.shape[0]
    out, step, share = np.empty((room, 2)), np.empty(room, np.int64), np.empty(room)
    starts = np.zeros(number.shape[0] + 1, np.int64)
    line, cell = np.empty(number.shape[0], np.int64), np.empty(number.shape[0], np.int64)
    whole = np.empty(number.shape[0], np.bool_)
    w, n = 0, 0
    for p in range(start.shape[0] - 1):
        a, last = start[p], start[p + 1] - 1
        k, end = begin[p], begin[p + 1] - 1
        i, done = a, 0.0
        while k < end:
            own, first = number[k - p], k
            while k < end and number[k - p] == own:
                k += 1
            all_of_it = first == begin[p] and k == end
            if own < 0 or (not all_of_it and at[k] - at[first] < shortest):
                continue
            from_start, to_end = first == begin[p], k == end
            i, done, part = _place(xy, i, last, done, at[first])
            if from_start:
                out[w], step[w], share[w] = xy[a], a, 0.0
            else:
                j = min(i + 1, last)
                out[w] = xy[i] + (xy[j] - xy[i]) * part
                step[w], share[w] = i, part
            w += 1
            far = done
            for m in range(i + 1, last + 1):
                far += np.hypot(xy[m, 0] - xy[m - 1, 0], xy[m, 1] - xy[m - 1, 1])
                if not to_end and far >= at[k] - MICROMETRE:
                    break
                if from_start or m == last or far > at[first] + MICROMETRE:
                    out[w], step[w], share[w] = xy[m], m, 0.0
                    w += 1
            if not to_end:
                i, done, part = _place(xy, i, last, done, at[k])
                j = min(i + 1, last)
                out[w] = xy[i] + (xy[j] - xy[i]) * part
                step[w], share[w] = i, part
                w += 1
            line[n], cell[n], whole[n] = p, own, all_of_it
            n += 1
            starts[n] = w
    of_piece = line[:n].copy(), cell[:n].copy(), whole[:n].copy()
    return out[:w].copy(), starts[: n + 1].copy(), *of_piece, step[:w].copy(), share[:w].copy()
