"""The edges of regions in grids of cells: how far the nearest is, and which a ray meets first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, Points, Rings, starts_of

NEAR = 1e-9  # mm, what rounding may be

Arrays: TypeAlias = tuple[NDArray[np.float64], NDArray[np.float64], Index, Index, Index, Index, Index]


@dataclass(frozen=True, eq=False)
class Grids:
    """The grids of several regions' edges, side by side.

    Attributes
    ----------
    slot : (n,) int64
        Which grid a region has, −1 for none.
    arrays
        Edges, frames, cells and what is in them, of all grids, and where each grid's edges, cells and what is in them
        begin; for ``grid_at``.
    """

    slot: Index
    arrays: Arrays

    def distances(self, points: Points, region: Index, reach: float) -> NDArray[np.float64]:
        """Return how far from each point the nearest edge of its region is, no more than ``reach``, (n,), mm."""
        return np.asarray(_distances(points, self.slot[region], self.arrays, reach))


def grids_of(rings: Rings, some: Index, count: int, cell: float) -> Grids:
    """Return the grids of some of ``count`` regions, given as rings; ``cell`` is the size of their cells, mm."""
    of_item = rings.starts_by_item(count)
    edges = [edges_of(rings.xy, rings.start[of_item[k] : of_item[k + 1] + 1]) for k in some]
    made = [grid_of(one, cell) for one in edges]
    slot = np.full(count, -1, np.int64)
    slot[some] = np.arange(len(some))
    sizes = [[len(one) for one in edges], [len(one[1]) for one in made], [len(one[2]) for one in made]]
    edge_start, first_start, item_start = (starts_of(np.array(size, np.int64)) for size in sizes)
    frames = np.stack([one[0] for one in made])
    first, item = np.concatenate([one[1] for one in made]), np.concatenate([one[2] for one in made])
    return Grids(slot, (np.concatenate(edges), frames, first, item, edge_start, first_start, item_start))


@kernel
def grid_at(arrays, k):  # type: ignore[no-untyped-def]
    """Return edges, frame, cells and what is in them of one of several grids."""
    edges, frame, first, item, edge_start, first_start, item_start = arrays
    return (
        edges[edge_start[k] : edge_start[k + 1]],
        frame[k],
        first[first_start[k] : first_start[k + 1]],
        item[item_start[k] : item_start[k + 1]],
    )


@kernel
def _distances(points, slot, arrays, reach):  # type: ignore[no-untyped-def]
    out = np.empty(points.shape[0])
    for i in range(points.shape[0]):
        edges, frame, first, item = grid_at(arrays, slot[i])
        out[i] = nearest_edge(edges, frame, first, item, points[i, 0], points[i, 1], reach)
    return out


@kernel
def edges_of(xy, start):  # type: ignore[no-untyped-def]
    """Return the edges of closed rings, (n, 4): from x, y to x, y; material to the left as in the rings."""
    count = start[start.shape[0] - 1] - start[0]
    out = np.empty((count, 4))
    w = 0
    for r in range(start.shape[0] - 1):
        j = start[r + 1] - 1
        for i in range(start[r], start[r + 1]):
            out[w, 0], out[w, 1] = xy[j, 0], xy[j, 1]
            out[w, 2], out[w, 3] = xy[i, 0], xy[i, 1]
            w += 1
            j = i
    return out


@kernel
def grid_of(edges, cell):  # type: ignore[no-untyped-def]
    """Sort edges into square cells; an edge is in every cell it touches, row by row.

    Returns the frame (x0, y0, cell, columns, rows), where each cell's edges begin, and the edges' numbers.
    """
    count = edges.shape[0]
    x0 = y0 = np.inf
    x1 = y1 = -np.inf
    for e in range(count):
        x0 = min(x0, edges[e, 0], edges[e, 2])
        x1 = max(x1, edges[e, 0], edges[e, 2])
        y0 = min(y0, edges[e, 1], edges[e, 3])
        y1 = max(y1, edges[e, 1], edges[e, 3])
    if count == 0:
        x0 = y0 = x1 = y1 = 0.0
    # Never many more cells than edges: a long thin part is not to cost its box.
    cell = max(cell, np.sqrt((x1 - x0) * (y1 - y0) / (16.0 * count + 64.0)))
    columns, rows = int((x1 - x0) / cell) + 1, int((y1 - y0) / cell) + 1
    first = np.zeros(columns * rows + 1, np.int64)
    item = np.empty(0, np.int64)
    for turn in range(2):
        if turn == 1:
            for g in range(columns * rows):
                first[g + 1] += first[g]
            item = np.empty(first[columns * rows], np.int64)
        fill = first[: columns * rows].copy()
        for e in range(count):
            up = edges[e, 3] >= edges[e, 1]
            ax, ay = edges[e, 0 if up else 2] - x0, edges[e, 1 if up else 3] - y0
            bx, by = edges[e, 2 if up else 0] - x0, edges[e, 3 if up else 1] - y0
            c, d = int(ay / cell), int(by / cell)
            lean = (bx - ax) / (by - ay) if c < d else 0.0
            for gy in range(c, d + 1):
                # Where it crosses the row; a little more, for what lies on a border is not to fall between cells.
                p = ax + (gy * cell - ay) * lean if gy > c else ax
                q = ax + ((gy + 1) * cell - ay) * lean if gy < d else bx
                a = int(max(min(p, q) - NEAR, min(ax, bx)) / cell)
                b = int(min(max(p, q) + NEAR, max(ax, bx)) / cell)
                for g in range(gy * columns + a, gy * columns + b + 1):
                    if turn == 0:
                        first[g + 1] += 1
                    else:
                        item[fill[g]] = e
                        fill[g] += 1
    return np.array((x0, y0, cell, float(columns), float(rows))), first, item


@kernel
def _cells(frame, x0, y0, x1, y1):  # type: ignore[no-untyped-def]
    """Return the range of columns and rows a box touches (half-open)."""
    columns, rows = int(frame[3]), int(frame[4])
    a = max(0, int(np.floor((x0 - frame[0]) / frame[2])))
    b = min(columns, int(np.floor((x1 - frame[0]) / frame[2])) + 1)
    c = max(0, int(np.floor((y0 - frame[1]) / frame[2])))
    d = min(rows, int(np.floor((y1 - frame[1]) / frame[2])) + 1)
    return a, b, c, d


@kernel
def nearest_edge(edges, frame, first, item, x, y, reach):  # type: ignore[no-untyped-def]
    """Return how far the nearest edge is, no more than ``reach``."""
    best = reach * reach
    a, b, c, d = _cells(frame, x - reach, y - reach, x + reach, y + reach)
    columns = int(frame[3])
    for gy in range(c, d):
        for gx in range(a, b):
            g = gy * columns + gx
            for k in range(first[g], first[g + 1]):
                e = item[k]
                ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
                px, py = x - edges[e, 0], y - edges[e, 1]
                long = ux * ux + uy * uy
                share = min(max((px * ux + py * uy) / long, 0.0), 1.0) if long > 0.0 else 0.0
                far = (px - share * ux) ** 2 + (py - share * uy) ** 2
                best = min(best, far)
    return np.sqrt(best)


@kernel
def kept_off(edges, grid, line, begin, end, more):  # type: ignore[no-untyped-def]
    """Make the third column of points ``begin`` to ``end`` at most how far their nearest edge is, and ``more``.

    Where the fourth is 0 or more it is known to be so. In one loop, for calls of a kernel for each point would take as
    long as what is done in it.
    """
    frame, first, item = grid
    columns = int(frame[3])
    for i in range(begin, end):
        x, y, reach = line[i, 0], line[i, 1], line[i, 2] - more
        if line[i, 3] >= 0.0 or reach <= 0.0:
            continue
        a, b, c, d = _cells(frame, x - reach, y - reach, x + reach, y + reach)
        if a >= b:
            continue
        best = reach * reach
        for gy in range(c, d):
            # The cells of a row follow each other, and so do their edges.
            for k in range(first[gy * columns + a], first[gy * columns + b]):
                e = item[k]
                ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
                px, py = x - edges[e, 0], y - edges[e, 1]
                along, long = px * ux + py * uy, ux * ux + uy * uy
                if along >= long:
                    px, py = px - ux, py - uy
                elif along > 0.0:
                    cross = px * uy - py * ux
                    if cross * cross < best * long:
                        best = cross * cross / long
                    continue
                best = min(best, px * px + py * py)
        line[i, 2] = np.sqrt(best) + more


@kernel
def first_met(edges, frame, first, item, x, y, dx, dy, reach):  # type: ignore[no-untyped-def]
    """Return how far along a ray of unit direction the first edge is, and which (−1 for none in reach)."""
    best = reach
    found = -1
    ex, ey = x + dx * reach, y + dy * reach
    a, b, c, d = _cells(frame, min(x, ex), min(y, ey), max(x, ex), max(y, ey))
    columns = int(frame[3])
    for gy in range(c, d):
        for gx in range(a, b):
            g = gy * columns + gx
            for k in range(first[g], first[g + 1]):
                e = item[k]
                ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
                across = dx * uy - dy * ux
                if across == 0.0:
                    continue
                px, py = edges[e, 0] - x, edges[e, 1] - y
                along = (px * uy - py * ux) / across
                share = (px * dy - py * dx) / across
                if 1e-9 < along < best and -1e-9 <= share <= 1.0 + 1e-9:
                    best = along
                    found = e
    return best, found
