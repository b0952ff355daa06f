"""Stage 9, within a part: walls and lines of a layer in the order they are laid.

Island by island: its walls contour by contour, from inside out or from outside in, then gap fill, full lines and infill
as one list, rows that show last; each next to where the one before ended, and a layer near where the last one ended.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import hanging
from even_step.core.catalogue import walls as keys
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Rings, joined_starts, starts_of
from even_step.core.plane.segments import edges_of, grid_of
from even_step.core.slicing.hold_parts import outlines_below, parted_by_hold
from even_step.core.slicing.island_order import LOOSE, ROWS, WALLS, laid_out, order_layer
from even_step.core.slicing.laid import Strands, chosen
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.row_order import rows_beside
from even_step.core.slicing.walls import Walls
from even_step.core.slicing.ways import WaySettings, plan_ways
from even_step.core.slicing.width_parts import parted_by_width
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL
from even_step.core.work import Crew

SEAMS = {"nearest": 0, "back": 1, "corner": 2, "scattered": 3}
SEED = 20_261
CELL = 1.0  # mm, of the grid that finds the edge below
TOGETHER = 32  # layers that are ordered one after the other

Place: TypeAlias = tuple[float, float]
_Key: TypeAlias = tuple[int, float, float]


@dataclass(frozen=True)
class OrderSettings:
    """Which wall first, and where it begins; of how much of its width it must be held, %."""

    order: Annotated[str, keys.ORDER]
    seam: Annotated[str, keys.SEAM]
    hangs_from: Annotated[float, hanging.FROM] = 0.0


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
    held : (P,) uint8
        How many tenths of its width lie on the layer below, 10 where all counts as held.
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
    held: NDArray[np.uint8]
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
        np.concatenate([one.held for one in many]),
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
    content : (L,) int64
        What a layer holds: blocks of equal content differ only in where they begin.
    paths : Ordered
        The paths of all blocks.
    block : (B + 1,) int64
        Where each block's paths begin.
    """

    which: Index
    content: Index
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
    """Put the lines of a solid in order.

    Notes
    -----
    Each layer begins near where the one below ended, so layers depend on each other; every ``TOGETHER`` layers the
    chain begins anew, so that threads can share the work. What is laid alike from the same place is ordered once.
    """
    layers = np.arange(len(walls.which)) * (settings.seam == "scattered")
    below = outlines_below(outlines.which) if settings.hangs_from > 0.0 else np.full(len(layers), -1)
    rows, content = np.unique(
        np.stack((walls.which, layers, *(fill.which for fill in fills), below), axis=1), axis=0, return_inverse=True
    )
    content = content.ravel()
    rings = region.rings(outlines.outline)
    of_outline, of_set = rings.starts_by_item(len(outlines.outline)), walls.rings.starts_by_item(len(walls.height))
    desk = _Desk(rings, of_outline, of_set, walls, fills, settings, ways)
    known: dict[_Key, tuple[Ordered, Place]] = {}
    runs = [(at, min(at + TOGETHER, len(content))) for at in range(0, len(content), TOGETHER)]
    done = crew.each(lambda first, last: desk.chain(rows, content[first:last], known), runs)
    keys = [key for run in done for key in run]
    number = {key: i for i, key in enumerate(dict.fromkeys(keys))}
    many = [known[key][0] for key in number]
    which = np.array([number[key] for key in keys], np.int64)
    block = np.cumsum([0, *(len(one.role) for one in many)]).astype(np.int64)
    return Blocks(which, content, _joined(many) if many else _nothing(), block)


def open_paths(lines: list[NDArray[np.float64]], role: int, width: float) -> Ordered:
    """Return lines of one role and width, mm, as high as their layer, in the order they are given."""
    count = len(lines)
    xy = np.round(np.concatenate(lines), 3).astype(np.float64) + 0.0 if lines else np.empty((0, 2))
    return Ordered(
        xy,
        starts_of(np.array([len(line) for line in lines], np.int64)),
        np.full(count, role, np.uint8),
        np.full(count, width, np.float32),
        np.zeros(count, np.float32),
        np.full(count, ALL_HELD, np.uint8),
        np.zeros(count, np.bool_),
        np.empty((0, 2)),
        np.zeros(count + 1, np.int64),
    )


def no_blocks() -> Blocks:
    """Return no layers."""
    none = np.empty(0, np.int64)
    return Blocks(none, none, _nothing(), np.zeros(1, np.int64))


def _nothing() -> Ordered:
    none = np.zeros(1, np.int64)
    short, flag, whole = np.empty(0, np.float32), np.empty(0, np.bool_), np.empty(0, np.uint8)
    return Ordered(np.empty((0, 2)), none, whole, short, short, whole, flag, np.empty((0, 2)), none)


@dataclass(frozen=True, eq=False)
class _Desk:
    """What the layers of a solid are ordered from."""

    rings: Rings
    of_outline: Index
    ring_of_set: Index
    walls: Walls
    fills: tuple[Fill, ...]
    settings: OrderSettings
    ways: WaySettings

    def chain(self, rows: Index, content: Index, known: dict[_Key, tuple[Ordered, Place]]) -> list[_Key]:
        """Order some layers in a row; returns the keys under which ``known`` has what they came to."""
        place, keys = (0.0, 0.0), []
        for number in content.tolist():
            key = number, *place
            if key not in known:
                known[key] = self._ordered(rows[number], place)
            place = known[key][1]
            keys.append(key)
        return keys

    def _ordered(self, row: Index, place: Place) -> tuple[Ordered, Place]:
        """Order one layer from where the nozzle is; returns it and where the nozzle is then."""
        pile = self._pile(row)
        if len(pile.start) < 2:
            return _nothing(), place
        shape = self.walls.outline[row[0]]
        first, last = int(self.of_outline[shape]), int(self.of_outline[shape + 1])
        shells = self._shells(first, last)
        turn, begin, follows, x, y = order_layer(
            pile.xy,
            pile.start,
            pile.linked,
            pile.level,
            pile.group,
            *pile.rows_beside(),
            *shells,
            self.settings.order == "inner-first",
            SEAMS[self.settings.seam],
            int(row[1]) * SEED,
            *place,
        )
        xy, wide, start = laid_out(pile.xy, pile.width, pile.start, pile.level, turn, begin)
        xy, wide, start, held, origin = self._parted(xy, wide, start, pile.role[turn], int(row[-1]))
        xy, start, mean, piece = parted_by_width(xy, start, wide)
        origin = origin[piece]
        same = np.diff(origin, prepend=-1) == 0
        line = turn[origin]
        ordered = Ordered(
            xy,
            start,
            pile.role[line].astype(np.uint8),
            np.round(mean, 3).astype(np.float32),
            pile.height[line].astype(np.float32),
            held[piece],
            same | follows[origin],
            np.empty((0, 2)),
            np.zeros(len(line) + 1, np.int64),
        )
        return _with_ways(ordered, self.rings.xy, self.rings.start[first : last + 1], self.ways), (float(x), float(y))

    def _parted(
        self, xy: NDArray[np.float64], wide: NDArray[np.float64], start: Index, role: Index, below: int
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], Index, NDArray[np.uint8], Index]:
        """Part walls by what of their width lies on the outline below; returns which line each came from too."""
        if below < 0:
            count = len(start) - 1
            return xy, wide, start, np.full(count, ALL_HELD, np.uint8), np.arange(count)
        first, last = int(self.of_outline[below]), int(self.of_outline[below + 1])
        edges = edges_of(self.rings.xy, self.rings.start[first : last + 1])
        asked, near = np.isin(role, (OUTER_WALL, INNER_WALL, GAP_FILL)), (edges, *grid_of(edges, CELL))
        return parted_by_hold(xy, start, wide, asked, near, self.settings.hangs_from / 100.0)  # type: ignore[no-any-return]

    def _shells(self, first: int, last: int) -> tuple[NDArray[np.float64], Index]:
        """Return points and starts of the outermost rings among those of an outline."""
        of = self.rings.polygon[first:last]
        shell = np.flatnonzero(np.diff(of, prepend=of[:1] - 1)) + first
        if len(shell) == 1:  # all lies in it, whatever its points are
            return self.rings.xy[:0], np.zeros(2, np.int64)
        start, place = chosen(self.rings.start, shell)
        return self.rings.xy[place], start

    def _pile(self, row: Index) -> _Pile:
        """Gather the lines of a layer: walls, single lines and gap fill, then the fills."""
        pile, walls = _Heap(), self.walls
        first, last = int(self.ring_of_set[row[0]]), int(self.ring_of_set[row[0] + 1])
        level = walls.level[first:last]
        pile.add(
            walls.rings.xy,
            walls.rings.start[first : last + 1],
            walls.width,
            np.where(level == 0, OUTER_WALL, INNER_WALL),
            np.where(level == 0, 0.0, walls.at_once[row[0]]),
            level=level,
            group=WALLS,
        )
        pile.add_strands(walls.strands, int(row[0]), (OUTER_WALL, GAP_FILL))
        rows = ROWS
        for fill, cell in zip(self.fills, row[2:-1].tolist(), strict=True):
            if cell < 0:
                continue
            lines, a, b = fill.lines, int(fill.lines.cell[cell]), int(fill.lines.cell[cell + 1])
            if b > a:
                many = np.broadcast_to(fill.width, len(lines.xy))
                role, height = np.full(b - a, fill.role), np.full(b - a, fill.height[cell])
                group = rows if fill.in_rows else LOOSE
                rows += fill.in_rows
                pile.add(lines.xy, lines.start[a : b + 1], many, role, height, linked=lines.linked[a:b], group=group)
            if len(fill.along.item):
                pile.add_strands(fill.along, cell, (fill.role, fill.role))
        return pile.made()


@dataclass(frozen=True, eq=False)
class _Pile:
    """The lines of a layer before they are ordered, walls first."""

    xy: NDArray[np.float64]
    width: NDArray[np.float64]
    start: Index
    role: Index
    height: NDArray[np.float64]
    linked: NDArray[np.bool_]
    level: Index
    group: Index

    def rows_beside(self) -> tuple[Index, Index]:
        """Return which chains of rows must come before which."""
        before, after = [np.empty(0, np.int64)], [np.empty(0, np.int64)]
        chain = np.cumsum(~self.linked) - 1
        for number in range(ROWS, int(self.group.max(initial=0)) + 1):
            a, b = (int(at) for at in np.searchsorted(self.group, (number, number + 1)))
            first, last = self.start[a], self.start[b]
            one, other = rows_beside(self.xy[first:last], self.start[a : b + 1] - first, chain[a:b])
            before.append(one)
            after.append(other)
        return np.concatenate(before), np.concatenate(after)


class _Heap:
    """Lines as they are gathered."""

    def __init__(self) -> None:
        self._pieces: list[tuple[Any, ...]] = []

    def add(
        self,
        xy: NDArray[np.float64],
        start: Index,
        width: NDArray[np.float64],
        role: Index,
        height: NDArray[np.float64],
        *,
        group: int,
        linked: NDArray[np.bool_] | None = None,
        level: Index | None = None,
    ) -> None:
        """Add some lines; ``start`` says where they lie in the points."""
        count, a, z = len(start) - 1, int(start[0]), int(start[-1])
        if count == 0:
            return
        chained = np.zeros(count, np.bool_) if linked is None else linked.copy()
        chained[0] = False
        levels = np.full(count, -1) if level is None else level
        self._pieces.append((group, xy[a:z], width[a:z], start - a, role, height, chained, levels))

    def add_strands(self, strands: Strands, item: int, roles: tuple[int, int]) -> None:
        """Add the lines of changing width of one item; ``roles`` are those of the outermost and of all others."""
        first, last = strands.of_item(item)
        if last > first:
            role = np.where(strands.level[first:last] == 0, *roles)
            start = strands.start[first : last + 1]
            self.add(strands.xy, start, strands.width, role, strands.height[first:last], group=LOOSE)

    def made(self) -> _Pile:
        """Put all together, by groups."""
        pieces = sorted(self._pieces, key=lambda piece: piece[0])
        if not pieces:
            none, number = np.empty(0), np.empty(0, np.int64)
            return _Pile(np.empty((0, 2)), none, np.zeros(1, np.int64), number, none, number > 0, number, number)
        group, xy, width, start, role, height, linked, level = zip(*pieces, strict=True)
        groups = np.repeat(np.array(group), [len(one) for one in role])
        return _Pile(
            np.concatenate(xy),
            np.concatenate(width),
            joined_starts(list(start)),
            np.concatenate(role),
            np.concatenate(height),
            np.concatenate(linked),
            np.concatenate(level),
            groups,
        )


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
