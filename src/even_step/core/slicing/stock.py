"""All lines of a solid in one table before they are ordered, and which of them each layer takes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.slicing.island_order import LOOSE, ROWS, WALLS
from even_step.core.slicing.laid import Strands
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.walls import Walls
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL

_Arrays: TypeAlias = tuple[NDArray[np.generic], ...]


@dataclass(frozen=True, eq=False)
class Stock:
    """Lines of a solid.

    Attributes
    ----------
    lines : tuple of arrays
        As kernels take them: points (N, 2) and width to the next (N,), mm; where each line begins (P + 1,); its role,
        height (mm; 0 as high as its layer), whether it follows on the one before it, level (−1 for what is open), (P,).
    pieces : (R, S, 2) int64
        For each distinct layer, from which of the lines to which it takes of each of ``S`` sources.
    group : (S,) int64
        Group of each source, not falling: walls, loose lines, rows.
    """

    lines: _Arrays
    pieces: Index
    group: Index


@dataclass(frozen=True, eq=False)
class _Source:
    """Lines from one place, and where those of each distinct layer begin and end, (R,) each."""

    group: int
    xy: NDArray[np.float64]
    width: NDArray[np.float64]
    start: Index
    role: Index
    height: NDArray[np.float64]
    linked: NDArray[np.bool_]
    level: Index
    first: Index
    last: Index


def stock_of(walls: Walls, fills: tuple[Fill, ...], rows: Index) -> Stock:
    """Gather the lines of a solid.

    Parameters
    ----------
    rows : (R, 1 + F) int64
        For each distinct layer its set of walls, and its set of each fill's lines, −1 for none.
    """
    sources = sorted(_sources(walls, fills, rows), key=lambda source: source.group)
    base = np.cumsum([0, *(len(source.role) for source in sources[:-1])])
    pieces = [np.stack((source.first, source.last), axis=1) + at for source, at in zip(sources, base, strict=True)]
    lines = (
        np.concatenate([source.xy for source in sources]),
        np.concatenate([source.width for source in sources]),
        joined_starts([source.start for source in sources]),
        np.concatenate([source.role for source in sources]).astype(np.int64),
        np.concatenate([source.height for source in sources]),
        np.concatenate([source.linked for source in sources]),
        np.concatenate([source.level for source in sources]),
    )
    group = np.array([source.group for source in sources], np.int64)
    return Stock(lines, np.ascontiguousarray(np.stack(pieces, axis=1)), group)


def _sources(walls: Walls, fills: tuple[Fill, ...], rows: Index) -> Iterator[_Source]:
    """Yield closed walls, single lines and gap fill, what is left of cut walls, then the lines of each fill."""
    of_set = walls.rings.starts_by_item(len(walls.height))
    outer, count = walls.level == 0, len(walls.level)
    yield _Source(
        WALLS,
        walls.rings.xy,
        walls.width,
        walls.rings.start,
        np.where(outer, OUTER_WALL, INNER_WALL),
        np.where(outer, 0.0, walls.at_once[walls.rings.item]),
        np.zeros(count, np.bool_),
        walls.level,
        of_set[rows[:, 0]],
        of_set[rows[:, 0] + 1],
    )
    yield _strands(walls.strands, rows[:, 0], (OUTER_WALL, GAP_FILL))
    yield _strands(walls.stretches, rows[:, 0], (OUTER_WALL, INNER_WALL))
    group = ROWS
    for fill, row in zip(fills, rows[:, 1:].T, strict=True):
        lines, none = fill.lines, row < 0
        count, cell = len(lines.start) - 1, np.where(none, 0, row)
        of_cell = np.append(lines.cell, lines.cell[-1])
        yield _Source(
            group if fill.in_rows else LOOSE,
            lines.xy[: lines.start[-1]],
            np.full(int(lines.start[-1]), fill.width),
            lines.start,
            np.full(count, fill.role),
            np.repeat(fill.height, np.diff(lines.cell)),
            lines.linked,
            np.full(count, -1),
            np.where(none, 0, of_cell[cell]),
            np.where(none, 0, of_cell[cell + 1]),
        )
        group += fill.in_rows
        yield _strands(fill.along, row, (fill.role, fill.role))


def _strands(strands: Strands, row: Index, roles: tuple[int, int]) -> _Source:
    """Take the lines of changing width of some items; ``roles`` are those of the outermost and of all others."""
    count = len(strands.level)
    return _Source(
        LOOSE,
        strands.xy,
        strands.width,
        strands.start,
        np.where(strands.level == 0, *roles),
        strands.height,
        np.zeros(count, np.bool_),
        np.full(count, -1),
        np.searchsorted(strands.item, row, "left"),
        np.where(row < 0, 0, np.searchsorted(strands.item, row, "right")),
    )
