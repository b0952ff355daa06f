"""Walls of a solid with zones: each record's are laid as if it held everywhere, then cut to where it holds.

What all that meet in a layer agree on, line by line, is not cut: an outer wall runs on where only those behind differ.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.cut import bands_along
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.cell_lines import strands_cut, strands_of
from even_step.core.slicing.laid import (
    LaidWalls,
    Strands,
    chosen_strands,
    closed,
    gathered,
    opened,
    strands_joined,
)
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.walls import Walls, WallSettings, walls
from even_step.core.slicing.zones import Borders, Zones, cells_united
from even_step.core.work import Crew, runs_of


class WallCells(NamedTuple):
    """Where the walls of each record are laid: which row each layer has, the outline of each row, cells by record."""

    which: Index
    outline: Index
    shape: dict[WallSettings, Regions]


def wall_cells(borders: Borders, settings: Callable[[Zones], WallSettings]) -> WallCells:
    """Say of each outline where the walls of each record are laid.

    All walls along a stretch of the outline are those of the zone in which the stretch lies, however deep they reach: a
    border that ran along them would leave a gap between those of one record and those of the next, or lay them twice.
    So a zone that touches no edge has no walls of its own.
    """
    cut = borders.cells()
    records = [settings(zones) for zones in cut.zones]
    deep = max(record.stack for record in records)
    outlines = borders.outlines.outline[cut.room]
    shape = {record: region.nothing(len(outlines)) for record in records}
    several = np.sum([~region.is_empty(kind) for kind in cut.shape], axis=0) > 1
    left = outlines.copy()
    for record, kind in reversed(list(zip(records, cut.shape, strict=True))[1:]):
        some = np.flatnonzero(~region.is_empty(kind) & several)
        alone = ~region.is_empty(kind) & ~several
        mine = region.intersection(bands_along(outlines[some], kind[some], deep), left[some])
        left[some] = region.difference(left[some], mine)
        shape[record][some] = region.union(shape[record][some], mine)
        shape[record][alone], left[alone] = kind[alone], region.nothing(int(alone.sum()))
    shape[records[0]] = region.union(shape[records[0]], left)
    return WallCells(cut.which, cut.room, shape)


def walls_by_record(
    borders: Borders,
    thick: NDArray[np.float64],
    settings: Callable[[Zones], WallSettings],
    crew: Crew,
) -> tuple[WallCells, dict[WallSettings, Walls]]:
    """Lay the walls of each record that holds somewhere, in the layers where it does, as if it held everywhere there.

    Parameters
    ----------
    borders
        Of zones that say anything of walls.
    thick : (L,) float64
        Thickness of the layers, mm.
    settings
        What holds where some zones lie over one another.
    """
    cut = wall_cells(borders, settings)
    plain, made = settings(()), {}
    for record, shape in cut.shape.items():
        asked = None if record == plain else ~region.is_empty(shape)[cut.which]
        made[record] = walls(borders.outlines, thick, record, crew, asked)
    return cut, made


def walls_of_cells(outlines: Outlines, cut: WallCells, laid: dict[WallSettings, Walls], crew: Crew) -> Walls:
    """Put the walls of all records together, each in its cells."""
    some = [laid[record] for record in cut.shape]
    rows, which = np.unique(np.stack([*(one.which for one in some), cut.which], axis=1), axis=0, return_inverse=True)
    many = [
        _Record.of(one, shape[rows[:, -1]], rows[:, i])
        for i, (one, shape) in enumerate(zip(some, cut.shape.values(), strict=True))
    ]
    runs = runs_of(region.size_in_points(outlines.outline[cut.outline[rows[:, -1]]]), most=4_000)
    done = crew.each(lambda a, b: _together([one.part(a, b) for one in many]), runs)
    places = [np.arange(a, b) for a, b in runs]
    made = gathered([one for one, _ in done], places)
    stretches = strands_joined(
        [replace(one, item=place[one.item]) for (_, one), place in zip(done, places, strict=True)]
    )
    first = some[0]
    return Walls(
        which.ravel(),
        first.outline[rows[:, 0]],
        first.height[rows[:, 0]],
        made.rings,
        made.width,
        made.level,
        made.strands,
        made.inner,
        made.lost,
        made.left,
        np.max([one.at_once[rows[:, i]] for i, one in enumerate(some)], axis=0),
        stretches,
    )


class _Record:
    """Walls of one record by rows of cells: its cell in each, and which set of its walls each has."""

    def __init__(self, walls: Walls, rings: Strands, cell: Regions, sets: Index) -> None:
        """``rings`` are its closed lines, opened."""
        self.walls, self.rings, self.cell, self.sets = walls, rings, cell, sets
        self.here = ~region.is_empty(cell)

    @classmethod
    def of(cls, walls: Walls, cell: Regions, sets: Index) -> _Record:
        """Open its closed lines, each as high as it is laid."""
        rings = opened(walls.rings, walls.width, walls.level)
        height = np.where(walls.level == 0, 0.0, walls.at_once[walls.rings.item])
        return cls(walls, replace(rings, height=height), cell, sets)

    def part(self, first: int, last: int) -> _Record:
        """Return some of the rows."""
        return _Record(self.walls, self.rings, self.cell[first:last], self.sets[first:last])

    def lines(self) -> tuple[Strands, Strands]:
        """Return its closed lines, opened, and its open ones, where it has a cell."""
        rows = np.flatnonzero(self.here)
        rings, strands = (strands_of(one, self.sets[rows]) for one in (self.rings, self.walls.strands))
        return replace(rings, item=rows[rings.item]), replace(strands, item=rows[strands.item])


def _together(many: list[_Record]) -> tuple[LaidWalls, Strands]:
    """Put the walls of some rows together; returns them, and the stretches of closed lines that were cut."""
    here = np.sum([one.here for one in many], axis=0)
    whole: list[Strands] = []
    single: list[Strands] = []
    stretches: list[Strands] = []
    for kind in (0, 1):
        lines = [one.lines()[kind] for one in many]
        shared = _agreed(lines, here)
        for number, (one, mine) in enumerate(zip(many, lines, strict=True)):
            agreed = shared[number]
            first = agreed & (_first_here(many, mine.item) == number)
            kept = chosen_strands(mine, np.flatnonzero(first))
            pieces, uncut = strands_cut(chosen_strands(mine, np.flatnonzero(~agreed)), one.cell)
            if kind == 0:
                whole += [kept, chosen_strands(pieces, np.flatnonzero(uncut))]
                stretches.append(chosen_strands(pieces, np.flatnonzero(~uncut)))
            else:
                single += [kept, pieces]
    rings, width, level = closed(_outermost_first(strands_joined(whole)))
    inner, lost, left = (
        cells_united([getattr(one.walls, name)[one.sets] for one in many], [one.cell for one in many])
        for name in ("inner", "lost", "left")
    )
    laid = LaidWalls(rings, width, level, strands_joined(single), inner, lost, left)
    return laid, strands_joined(stretches)


def _outermost_first(lines: Strands) -> Strands:
    return chosen_strands(lines, np.lexsort((np.arange(len(lines.level)), lines.level, lines.item)))


def _first_here(many: list[_Record], row: Index) -> Index:
    """Return for some rows the first record that has a cell there."""
    return np.asarray(np.argmax([one.here[row] for one in many], axis=0))


def _agreed(lines: list[Strands], here: Index) -> list[NDArray[np.bool_]]:
    """Tell which lines of each record all others that meet in their row have, too."""
    meet = [np.flatnonzero(here[one.item] > 1).tolist() for one in lines]  # elsewhere there is no other
    names = [[_name(one, i) for i in some] for one, some in zip(lines, meet, strict=True)]
    times = Counter(name for some in names for name in set(some))
    out = [np.ones(len(one.item), np.bool_) for one in lines]
    for agreed, some, mine in zip(out, meet, names, strict=True):
        agreed[some] = [times[name] == here[name[0]] for name in mine]
    return out


def _name(lines: Strands, number: int) -> tuple[int, bytes, bytes]:
    """Return what tells a line of a row from others: the row, its points and its widths."""
    a, b = lines.start[number], lines.start[number + 1]
    return int(lines.item[number]), lines.xy[a:b].tobytes(), lines.width[a : b - 1].tobytes()
