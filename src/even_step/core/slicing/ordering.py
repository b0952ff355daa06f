"""Stage 9, within a part: walls and lines of a layer in the order they are laid.

Island by island: its walls from inside out or from outside in, then the full lines of the layer, then its
infill, the visible top last; each next to where the one before ended.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import walls as keys
from even_step.core.kernels import kernel
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.nearest import nearest_order
from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.plane.trace import is_inside
from even_step.core.slicing.covers import COVER_ROLES, Covers
from even_step.core.slicing.infill.infill import Infill
from even_step.core.slicing.walls import Walls
from even_step.core.toolpath.roles import INFILL, INNER_WALL, OUTER_WALL
from even_step.core.work import Crew, runs_of

SEAMS = {"nearest": 0, "back": 1, "corner": 2, "scattered": 3}
SEED = 20_261


@dataclass(frozen=True)
class OrderSettings:
    """Which wall first, and where it begins; widths of the walls in mm."""

    order: Annotated[str, keys.ORDER]
    seam: Annotated[str, keys.SEAM]
    outer_width: Annotated[float, keys.OUTER_WIDTH]
    line_width: Annotated[float, keys.LINE_WIDTH]


@dataclass(frozen=True, eq=False)
class Blocks:
    """Ordered lines of each distinct layer of a solid, in its own frame.

    Attributes
    ----------
    which : (L,) int64
        Which block a layer is.
    xy : (N, 2) float64
        mm; a closed wall repeats its first point.
    start : (P + 1,) int64
        Where each path begins.
    role : (P,) uint8
        Number of its role.
    width : (P,) float32
        mm.
    linked : (P,) bool
        Whether the way to it stays within the room of the path before it.
    block : (B + 1,) int64
        Where each block's paths begin.
    """

    which: Index
    xy: NDArray[np.float64]
    start: Index
    role: NDArray[np.uint8]
    width: NDArray[np.float32]
    linked: NDArray[np.bool_]
    block: Index


def order_lines(walls: Walls, covers: Covers, infill: Infill, settings: OrderSettings, crew: Crew) -> Blocks:
    """Put the lines of a solid in order, each distinct layer once."""
    layers = np.arange(len(walls.which)) * (settings.seam == "scattered")
    rows, which = np.unique(
        np.stack((walls.which, covers.line_set, infill.which, layers), axis=1), axis=0, return_inverse=True
    )
    ring_of_set = walls.rings.starts_by_item(len(walls.height))
    cells = np.stack(
        (
            covers.lines.cell[3 * rows[:, 1]],
            covers.lines.cell[3 * rows[:, 1] + 3],
            infill.lines.cell[infill.cells * rows[:, 2]],
            infill.lines.cell[infill.cells * (rows[:, 2] + 1)],
        ),
        axis=1,
    )
    weights = (
        cells[:, 1]
        - cells[:, 0]
        + cells[:, 3]
        - cells[:, 2]
        + (walls.rings.start[ring_of_set[rows[:, 0] + 1]] - walls.rings.start[ring_of_set[rows[:, 0]]])
    )

    def arrange(
        first: int, last: int
    ) -> tuple[NDArray[np.float64], Index, NDArray[np.uint8], NDArray[np.float32], NDArray[np.bool_], Index]:
        done = [_layer(walls, ring_of_set, covers, infill, row, settings) for row in rows[first:last]]
        return (
            np.concatenate([one[0] for one in done]),
            joined_starts([one[1] for one in done]),
            np.concatenate([one[2] for one in done]),
            np.concatenate([one[3] for one in done]),
            np.concatenate([one[4] for one in done]),
            np.cumsum([0, *(len(one[2]) for one in done)]).astype(np.int64),
        )

    done = crew.each(arrange, runs_of(weights, most=100_000))
    return Blocks(
        which.ravel(),
        np.concatenate([one[0] for one in done]),
        joined_starts([one[1] for one in done]),
        np.concatenate([one[2] for one in done]),
        np.concatenate([one[3] for one in done]),
        np.concatenate([one[4] for one in done]),
        joined_starts([one[5] for one in done]),
    )


_Ordered = tuple[NDArray[np.float64], Index, NDArray[np.uint8], NDArray[np.float32], NDArray[np.bool_]]


def _layer(
    walls: Walls, ring_of_set: Index, covers: Covers, infill: Infill, row: Index, settings: OrderSettings
) -> _Ordered:
    """Order one layer: the walls, then four turns of lines."""
    first, last = ring_of_set[row[0]], ring_of_set[row[0] + 1]
    rings = walls.rings
    laid, x, y = _order_walls(
        rings.xy,
        rings.start[first : last + 1],
        rings.polygon[first:last],
        walls.level[first:last],
        settings.order == "inner-first",
        SEAMS[settings.seam],
        int(row[3]) * SEED,
    )
    pieces: list[_Ordered] = [_walls_of(laid, settings)]
    turns: list[tuple[Strokes, int, int, int, float]] = [
        (
            covers.lines,
            int(covers.lines.cell[3 * row[1] + i]),
            int(covers.lines.cell[3 * row[1] + i + 1]),
            COVER_ROLES[i],
            float(covers.width[i]),
        )
        for i in range(3)
    ]
    fill = infill.lines.cell[infill.cells * row[2] : infill.cells * (row[2] + 1) + 1]
    fills = [(infill.lines, int(a), int(b), INFILL, infill.width) for a, b in pairwise(fill)]
    for lines, a, b, role, width in (*turns[:2], *fills, turns[2]):
        if b > a:
            xy, start, linked, x, y = _order_strokes(lines.xy, lines.start, lines.linked, a, b, x, y)
            pieces.append((xy, start, np.full(b - a, role, np.uint8), np.full(b - a, width, np.float32), linked))
    return (
        np.concatenate([piece[0] for piece in pieces]),
        joined_starts([piece[1] for piece in pieces]),
        np.concatenate([piece[2] for piece in pieces]),
        np.concatenate([piece[3] for piece in pieces]),
        np.concatenate([piece[4] for piece in pieces]),
    )


def _walls_of(laid: tuple[NDArray[np.float64], Index, Index], settings: OrderSettings) -> _Ordered:
    xy, start, level = laid
    outer = level == 0
    role = np.where(outer, OUTER_WALL, INNER_WALL).astype(np.uint8)
    width = np.where(outer, settings.outer_width, settings.line_width).astype(np.float32)
    return xy, start, role, width, np.zeros(len(level), np.bool_)


@kernel
def _islands(xy, start, polygon, level):  # type: ignore[no-untyped-def]
    """Say for each ring which outermost polygon it belongs to: its own, or the smallest round its polygon."""
    count = polygon.shape[0]
    island = np.full(count, -1, np.int64)
    box = np.empty((count, 4))
    for r in range(count):
        box[r, 0] = box[r, 1] = np.inf
        box[r, 2] = box[r, 3] = -np.inf
        for i in range(start[r], start[r + 1]):
            box[r, 0] = min(box[r, 0], xy[i, 0])
            box[r, 1] = min(box[r, 1], xy[i, 1])
            box[r, 2] = max(box[r, 2], xy[i, 0])
            box[r, 3] = max(box[r, 3], xy[i, 1])
    shell = 0
    for r in range(count):
        if r == 0 or polygon[r] != polygon[r - 1]:
            shell = r
            if level[r] == 0:
                island[r] = r
            else:
                best = np.inf
                x, y = xy[start[r], 0], xy[start[r], 1]
                for s in range(r):
                    if level[s] != 0 or (s > 0 and polygon[s] == polygon[s - 1]):
                        continue
                    if x < box[s, 0] or x > box[s, 2] or y < box[s, 1] or y > box[s, 3]:
                        continue
                    size = (box[s, 2] - box[s, 0]) * (box[s, 3] - box[s, 1])
                    if size < best and is_inside(x, y, xy, start[s], start[s + 1]):
                        best = size
                        island[r] = s
                if island[r] < 0:
                    island[r] = r
        else:
            island[r] = island[shell]
    return island


@kernel
def _seam(xy, first, last, kind, number, x, y):  # type: ignore[no-untyped-def]
    """Return where a ring begins."""
    count = last - first
    if kind == 3:
        mixed = (np.uint64(number) + np.uint64(0x9E3779B97F4A7C15)) * np.uint64(0xBF58476D1CE4E5B9)
        mixed = (mixed ^ (mixed >> np.uint64(29))) * np.uint64(0x94D049BB133111EB)
        return first + np.int64((mixed >> np.uint64(33)) % np.uint64(count))
    at = first
    best = -np.inf
    for i in range(first, last):
        if kind == 0:
            score = -((xy[i, 0] - x) ** 2 + (xy[i, 1] - y) ** 2)
        elif kind == 1:
            score = xy[i, 1] - 1e-4 * xy[i, 0]
        else:
            p = first + (i - first - 1) % count
            n = first + (i - first + 1) % count
            ux, uy = xy[i, 0] - xy[p, 0], xy[i, 1] - xy[p, 1]
            vx, vy = xy[n, 0] - xy[i, 0], xy[n, 1] - xy[i, 1]
            # The sharper, the better; an inward corner hides a seam a little better than an outward one.
            turn = np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)
            score = abs(turn) - 0.1 * np.sign(turn) + 1e-6 * xy[i, 1]
        if score > best:
            best = score
            at = i
    return at


@kernel
def _order_walls(xy, start, polygon, level, inner_first, seam, seed):  # type: ignore[no-untyped-def]
    """Order the walls of a layer; returns the points, starts and levels in order, and where they end."""
    count = polygon.shape[0]
    x, y = 0.0, 0.0
    if count == 0:
        return (np.empty((0, 2)), np.zeros(1, np.int64), np.empty(0, np.int64)), x, y
    island = _islands(xy, start, polygon, level)
    deepest = level.max()
    begin = np.empty(count, np.int64)
    for r in range(count):
        begin[r] = _seam(xy, start[r], start[r + 1], seam, seed + r, x, y)
    ends = np.empty((count, 4))
    heads = np.empty(count, np.int64)
    some = np.empty(count, np.int64)
    order = np.empty(count, np.int64)
    flip = np.empty(count, np.int64)
    islands = 0
    for r in range(count):
        if island[r] == r:
            heads[islands] = r
            ends[islands, 0] = ends[islands, 2] = xy[begin[r], 0]
            ends[islands, 1] = ends[islands, 3] = xy[begin[r], 1]
            islands += 1
    island_order = np.empty(islands, np.int64)
    nearest_order(ends, islands, x, y, island_order, flip)
    points = np.empty((start[count] - start[0] + count, 2))
    starts = np.zeros(count + 1, np.int64)
    levels = np.empty(count, np.int64)
    # Rings by island, in their own order: a list begun at each island's head.
    after = np.full(count, -1, np.int64)
    tail = np.full(count, -1, np.int64)
    first_of = np.full(count, -1, np.int64)
    for r in range(count):
        h = island[r]
        if tail[h] < 0:
            first_of[h] = r
        else:
            after[tail[h]] = r
        tail[h] = r
    w = 0
    done = 0
    for k in range(islands):
        head = heads[island_order[k]]
        for step in range(deepest + 1):
            now = deepest - step if inner_first else step
            m = 0
            r = first_of[head]
            while r >= 0:
                if level[r] == now:
                    if seam == 0:
                        begin[r] = _seam(xy, start[r], start[r + 1], seam, 0, x, y)
                    some[m] = r
                    ends[m, 0] = ends[m, 2] = xy[begin[r], 0]
                    ends[m, 1] = ends[m, 3] = xy[begin[r], 1]
                    m += 1
                r = after[r]
            if m == 0:
                continue
            x, y = nearest_order(ends, m, x, y, order, flip)
            for j in range(m):
                r = some[order[j]]
                size = start[r + 1] - start[r]
                for i in range(size + 1):
                    p = start[r] + (begin[r] - start[r] + i) % size
                    points[w, 0] = xy[p, 0]
                    points[w, 1] = xy[p, 1]
                    w += 1
                levels[done] = level[r]
                done += 1
                starts[done] = w
    return (points, starts, levels), x, y


@kernel
def _order_strokes(xy, start, linked, first, last, x, y):  # type: ignore[no-untyped-def]
    """Order open lines, whole chains of linked ones at a time, either way round."""
    count = last - first
    chain = np.empty(count + 1, np.int64)
    chains = 0
    for p in range(first, last):
        if p == first or not linked[p]:
            chain[chains] = p
            chains += 1
    chain[chains] = last
    ends = np.empty((chains, 4))
    for c in range(chains):
        a, b = start[chain[c]], start[chain[c + 1]] - 1
        ends[c, 0], ends[c, 1] = xy[a, 0], xy[a, 1]
        ends[c, 2], ends[c, 3] = xy[b, 0], xy[b, 1]
    order = np.empty(chains, np.int64)
    flip = np.empty(chains, np.int64)
    x, y = nearest_order(ends, chains, x, y, order, flip)
    points = np.empty((start[last] - start[first], 2))
    starts = np.zeros(count + 1, np.int64)
    follows = np.zeros(count, np.bool_)
    w = 0
    done = 0
    for k in range(chains):
        a, b = chain[order[k]], chain[order[k] + 1]
        for j in range(b - a):
            p = b - 1 - j if flip[k] == 1 else a + j
            size = start[p + 1] - start[p]
            for i in range(size):
                q = start[p + 1] - 1 - i if flip[k] == 1 else start[p] + i
                points[w, 0] = xy[q, 0]
                points[w, 1] = xy[q, 1]
                w += 1
            follows[done] = j > 0
            done += 1
            starts[done] = w
    return points, starts, follows, x, y
