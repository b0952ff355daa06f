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
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.slicing.covers import COVER_ROLES, Covers
from even_step.core.slicing.infill.infill import Infill
from even_step.core.slicing.laid import Strands
from even_step.core.slicing.stroke_order import order_strokes, parted_by_width
from even_step.core.slicing.wall_order import order_walls
from even_step.core.slicing.walls import Walls
from even_step.core.toolpath.roles import GAP_FILL, INFILL, INNER_WALL, OUTER_WALL
from even_step.core.work import Crew, runs_of

SEAMS = {"nearest": 0, "back": 1, "corner": 2, "scattered": 3}
SEED = 20_261


@dataclass(frozen=True)
class OrderSettings:
    """Which wall first, and where it begins."""

    order: Annotated[str, keys.ORDER]
    seam: Annotated[str, keys.SEAM]


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
    """Order one layer: the walls, single lines and gap fill, then four turns of lines."""
    first, last = ring_of_set[row[0]], ring_of_set[row[0] + 1]
    rings = walls.rings
    laid, x, y = order_walls(
        rings.xy,
        walls.width,
        rings.start[first : last + 1],
        rings.polygon[first:last],
        walls.level[first:last],
        settings.order == "inner-first",
        SEAMS[settings.seam],
        int(row[3]) * SEED,
    )
    xy, width, start, level = laid
    pieces: list[_Ordered] = [_of_one_width(xy, start, width, np.where(level == 0, OUTER_WALL, INNER_WALL))]
    singles, x, y = _singles(walls.strands, int(row[0]), x, y)
    pieces += singles
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
            xy, start, linked, _, x, y = order_strokes(lines.xy, lines.start, lines.linked, a, b, x, y)
            pieces.append((xy, start, np.full(b - a, role, np.uint8), np.full(b - a, width, np.float32), linked))
    return (
        np.concatenate([piece[0] for piece in pieces]),
        joined_starts([piece[1] for piece in pieces]),
        np.concatenate([piece[2] for piece in pieces]),
        np.concatenate([piece[3] for piece in pieces]),
        np.concatenate([piece[4] for piece in pieces]),
    )


def _singles(strands: Strands, item: int, x: float, y: float) -> tuple[list[_Ordered], float, float]:
    """Order the single lines of a set of walls, from a point; returns where the last ends."""
    first, last = (int(at) for at in np.searchsorted(strands.item, (item, item + 1)))
    if last == first:
        return [], x, y
    alone = np.zeros(last, np.bool_)
    xy, start, _, came, x, y = order_strokes(strands.xy, strands.start, alone, first, last, x, y)
    line = np.searchsorted(strands.start, came[start[:-1]], "right") - 1
    role = np.where(strands.level[line] == 0, OUTER_WALL, GAP_FILL)
    return [_of_one_width(xy, start, _onward(strands.width, came), role)], x, y


def _onward(width: NDArray[np.float64], came: Index) -> NDArray[np.float64]:
    """Return the width from each point to the next, for points that came from lines run either way."""
    ahead = np.append(came[1:], came[-1:])
    return width[np.minimum(came, ahead)]


def _of_one_width(
    xy: NDArray[np.float64], start: Index, width: NDArray[np.float64], role: NDArray[np.int64]
) -> _Ordered:
    """Part lines where their width changes; what follows in the same line is linked."""
    xy, start, mean, origin = parted_by_width(xy, start, width)
    linked = np.diff(origin, prepend=-1) == 0
    return xy, start, role[origin].astype(np.uint8), mean.astype(np.float32), linked
