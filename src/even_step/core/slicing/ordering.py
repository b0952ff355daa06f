"""Stage 9, within a part: walls and lines of a layer in the order they are laid.

Island by island: its walls from inside out or from outside in, then the full lines of the layer, then its
infill, the visible top last; each next to where the one before ended.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import walls as keys
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.slicing.laid import Strands
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.row_order import order_rows
from even_step.core.slicing.stroke_order import order_strokes, parted_by_width
from even_step.core.slicing.wall_order import order_walls
from even_step.core.slicing.walls import Walls
from even_step.core.slicing.ways import WaySettings, plan_ways
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL
from even_step.core.work import Crew, runs_of

SEAMS = {"nearest": 0, "back": 1, "corner": 2, "scattered": 3}
SEED = 20_261


@dataclass(frozen=True)
class OrderSettings:
    """Which wall first, and where it begins."""

    order: Annotated[str, keys.ORDER]
    seam: Annotated[str, keys.SEAM]


@dataclass(frozen=True, eq=False)
class Ordered:
    """Paths in order, in the solid's own frame.

    Attributes
    ----------
    xy : (N, 2) float64
        mm; a closed wall repeats its first point.
    start : (P + 1,) int64
        Where each path begins.
    role : (P,) uint8
        Number of its role.
    width : (P,) float32
        mm.
    height : (P,) float32
        mm; 0 as high as its layer.
    linked : (P,) bool
        Whether the way to it stays inside the part.
    via : (V, 2) float64
        Points passed on the ways, mm.
    via_start : (P + 1,) int64
        Where those on the way to each path begin.
    """

    xy: NDArray[np.float64]
    start: Index
    role: NDArray[np.uint8]
    width: NDArray[np.float32]
    height: NDArray[np.float32]
    linked: NDArray[np.bool_]
    via: NDArray[np.float64]
    via_start: Index


def _joined(many: list[Ordered]) -> Ordered:
    return Ordered(
        np.concatenate([one.xy for one in many]),
        joined_starts([one.start for one in many]),
        np.concatenate([one.role for one in many]),
        np.concatenate([one.width for one in many]),
        np.concatenate([one.height for one in many]),
        np.concatenate([one.linked for one in many]),
        np.concatenate([one.via for one in many]),
        joined_starts([one.via_start for one in many]),
    )


@dataclass(frozen=True, eq=False)
class Blocks:
    """Ordered lines of each distinct layer of a solid, in its own frame.

    Attributes
    ----------
    which : (L,) int64
        Which block a layer is.
    paths : Ordered
        The paths of all blocks.
    block : (B + 1,) int64
        Where each block's paths begin.
    """

    which: Index
    paths: Ordered
    block: Index


def order_lines(
    outlines: Outlines,
    walls: Walls,
    fills: tuple[Fill, ...],
    settings: OrderSettings,
    ways: WaySettings,
    crew: Crew,
) -> Blocks:
    """Put the lines of a solid in order, each distinct layer once: walls, then each fill in turn."""
    rings = region.rings(outlines.outline)
    of_outline = rings.starts_by_item(len(outlines.outline))
    layers = np.arange(len(walls.which)) * (settings.seam == "scattered")
    rows, which = np.unique(
        np.stack((walls.which, layers, *(fill.which for fill in fills)), axis=1), axis=0, return_inverse=True
    )
    ring_of_set = walls.rings.starts_by_item(len(walls.height))
    weights = walls.rings.start[ring_of_set[rows[:, 0] + 1]] - walls.rings.start[ring_of_set[rows[:, 0]]]
    for k, fill in enumerate(fills):
        cell = rows[:, 2 + k]
        weights = weights + np.where(cell >= 0, fill.lines.cell[cell + 1] - fill.lines.cell[cell], 0)

    def arrange(first: int, last: int) -> tuple[Ordered, Index]:
        done = []
        for row in rows[first:last]:
            shape = walls.outline[row[0]]
            places = rings.start[of_outline[shape] : of_outline[shape + 1] + 1]
            done.append(_with_ways(_layer(walls, ring_of_set, fills, row, settings), rings.xy, places, ways))
        return _joined(done), np.cumsum([0, *(len(one.role) for one in done)]).astype(np.int64)

    done = crew.each(arrange, runs_of(weights, most=100_000))
    whole = _joined([one[0] for one in done])
    return Blocks(which.ravel(), whole, joined_starts([one[1] for one in done]))


def _with_ways(paths: Ordered, xy: NDArray[np.float64], start: Index, ways: WaySettings) -> Ordered:
    """Plan ways inside the outline between paths."""
    if not ways.inside:
        return paths
    linked = paths.linked.copy()
    via, places = plan_ways(
        paths.xy,
        paths.start,
        linked,
        xy,
        start,
        ways.retract_from,
        ways.detour,
        ways.inside_up_to,
        ways.outer_width / 2,
    )
    return replace(paths, linked=linked, via=via, via_start=places)


def _layer(walls: Walls, ring_of_set: Index, fills: tuple[Fill, ...], row: Index, settings: OrderSettings) -> Ordered:
    """Order one layer: the walls, single lines and gap fill, then the fills in turn."""
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
        int(row[1]) * SEED,
    )
    xy, width, start, level = laid
    height = np.where(level == 0, 0.0, walls.at_once[row[0]])
    pieces = [_of_one_width(xy, start, width, np.where(level == 0, OUTER_WALL, INNER_WALL), height)]
    singles, x, y = _strands(walls.strands, int(row[0]), x, y, (OUTER_WALL, GAP_FILL))
    pieces += singles
    for fill, cell in zip(fills, row[2:], strict=True):
        a, b = (int(fill.lines.cell[cell]), int(fill.lines.cell[cell + 1])) if cell >= 0 else (0, 0)
        if b > a:
            lines = fill.lines
            if fill.in_rows:
                xy, start, linked, x, y = order_rows(lines.xy, lines.start, lines.linked, a, b, x, y)
            else:
                xy, start, linked, _, x, y = order_strokes(lines.xy, lines.start, lines.linked, a, b, x, y)
            width, height = np.full(b - a, fill.width), np.full(b - a, fill.height[cell])
            pieces.append(_straight(xy, start, np.full(b - a, fill.role), width, height, linked))
        if cell >= 0 and len(fill.along.item):
            along, x, y = _strands(fill.along, int(cell), x, y, (fill.role, fill.role))
            pieces += along
    return _joined(pieces)


def _strands(
    strands: Strands, item: int, x: float, y: float, roles: tuple[int, int]
) -> tuple[list[Ordered], float, float]:
    """Order the lines of changing width of one item, from a point; returns where the last ends.

    ``roles`` are those of the outermost lines and of all others.
    """
    first, last = (int(at) for at in np.searchsorted(strands.item, (item, item + 1)))
    if last == first:
        return [], x, y
    alone = np.zeros(last, np.bool_)
    xy, start, _, came, x, y = order_strokes(strands.xy, strands.start, alone, first, last, x, y)
    line = np.searchsorted(strands.start, came[start[:-1]], "right") - 1
    role = np.where(strands.level[line] == 0, *roles)
    return [_of_one_width(xy, start, _onward(strands.width, came), role, strands.height[line])], x, y


def _onward(width: NDArray[np.float64], came: Index) -> NDArray[np.float64]:
    """Return the width from each point to the next, for points that came from lines run either way."""
    ahead = np.append(came[1:], came[-1:])
    return width[np.minimum(came, ahead)]


def _of_one_width(
    xy: NDArray[np.float64],
    start: Index,
    width: NDArray[np.float64],
    role: NDArray[np.int64],
    height: NDArray[np.float64],
) -> Ordered:
    """Part lines where their width changes; what follows in the same line is linked."""
    xy, start, mean, origin = parted_by_width(xy, start, width)
    linked = np.diff(origin, prepend=-1) == 0
    return _straight(xy, start, role[origin], np.round(mean, 3), height[origin], linked)


def _straight(
    xy: NDArray[np.float64],
    start: Index,
    role: NDArray[np.int64],
    width: NDArray[np.float64],
    height: NDArray[np.float64],
    linked: NDArray[np.bool_],
) -> Ordered:
    """Return paths whose ways pass no points."""
    return Ordered(
        xy,
        start,
        role.astype(np.uint8),
        width.astype(np.float32),
        height.astype(np.float32),
        linked,
        np.empty((0, 2)),
        np.zeros(len(role) + 1, np.int64),
    )
