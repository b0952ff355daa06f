"""Stage 9, within a part: walls and lines of a layer in the order they are laid.

Island by island: its walls contour by contour, from inside out or from outside in, then gap fill, full lines and infill
as one list, rows that show last; each next to where the one before ended, and a layer near where the last one ended.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, TypeAlias

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import hanging
from even_step.core.catalogue import walls as keys
from even_step.core.plane.ragged import Index, joined_starts, starts_of
from even_step.core.slicing.hold_parts import outlines_below
from even_step.core.slicing.layer_order import ordered_layer
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.stock import Stock, stock_of
from even_step.core.slicing.walls import Walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.work import Crew

SEAMS = {"nearest": 0, "back": 1, "corner": 2, "scattered": 3}
SEED = 20_261
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
    climb : (N, 2) float64
        How far each point lies below its layer's top, mm, and what share of its section a line has there; none where no
        line climbs.
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
    climb: NDArray[np.float64] | None = None

    @staticmethod
    def joined(many: list[Ordered]) -> Ordered:
        """Put paths behind one another."""
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
            np.concatenate([one.climbs() for one in many]) if any(one.climb is not None for one in many) else None,
        )

    def climbs(self) -> NDArray[np.float64]:
        """Return how its points lie, those of level lines too."""
        return np.tile((0.0, 1.0), (len(self.xy), 1)) if self.climb is None else self.climb


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
    zones : of tuples of int
        The zones within which what holds of lines differs, as they lie over one another; of the first, none.
    record : (P,) uint16
        In which of these each path lies; nothing where all lie in none.
    """

    which: Index
    content: Index
    paths: Ordered
    block: Index
    zones: tuple[tuple[int, ...], ...] = ((),)
    record: NDArray[np.uint16] | None = None

    def records(self, first: int, last: int) -> NDArray[np.uint16]:
        """Return in which zones some paths in a row lie."""
        return np.zeros(last - first, np.uint16) if self.record is None else self.record[first:last]


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
    rings, of_outline = outlines.rings, outlines.of_outline
    shape, under = walls.outline[rows[:, 0]], rows[:, -1]
    bounds = np.stack((of_outline[shape], of_outline[shape + 1], of_outline[under], of_outline[under + 1]), axis=1)
    bounds[under < 0, 2:] = -1
    stock = stock_of(walls, fills, np.delete(rows, (1, rows.shape[1] - 1), axis=1))
    desk = _Desk((rings.xy, rings.start, rings.polygon), bounds, rows[:, 1] * SEED, stock, settings, ways)
    known: dict[_Key, tuple[Ordered, Place]] = {}
    runs = [(at, min(at + TOGETHER, len(content))) for at in range(0, len(content), TOGETHER)]
    done = crew.each(lambda first, last: desk.chain(content[first:last], known), runs)
    keys = [key for run in done for key in run]
    number = {key: i for i, key in enumerate(dict.fromkeys(keys))}
    many = [known[key][0] for key in number]
    which = np.array([number[key] for key in keys], np.int64)
    block = np.cumsum([0, *(len(one.role) for one in many)]).astype(np.int64)
    return Blocks(which, content, Ordered.joined(many) if many else _nothing(), block)


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
    """What the layers of a solid are ordered from.

    Rings are points, starts and polygons; bounds (R, 4) say from which ring to which reach the outline of each distinct
    layer and the one below it; seeds (R,) are those of scattered seams.
    """

    rings: tuple[NDArray[np.float64], Index, Index]
    bounds: Index
    seeds: Index
    stock: Stock
    settings: OrderSettings
    ways: WaySettings

    def chain(self, content: Index, known: dict[_Key, tuple[Ordered, Place]]) -> list[_Key]:
        """Order some layers in a row; returns the keys under which ``known`` has what they came to."""
        place, keys = (0.0, 0.0), []
        for number in content.tolist():
            key = number, *place
            if key not in known:
                known[key] = self._ordered(number, place)
            place = known[key][1]
            keys.append(key)
        return keys

    def _ordered(self, number: int, place: Place) -> tuple[Ordered, Place]:
        """Order one layer from where the nozzle is; returns it and where the nozzle is then."""
        pieces, settings, ways = self.stock.pieces[number], self.settings, self.ways
        if (pieces[:, 0] == pieces[:, 1]).all():
            return _nothing(), place
        seed, inner_first = int(self.seeds[number]), settings.order == "inner-first"
        how = inner_first, SEAMS[settings.seam], seed, settings.hangs_from / 100.0
        limits = ways.retract_from, ways.detour, ways.inside_up_to, ways.outer_width / 2
        *paths, x, y = ordered_layer(
            self.stock.lines,
            pieces,
            self.stock.group,
            self.rings,
            self.bounds[number],
            how,
            (ways.inside, *(float(limit) for limit in limits)),
            *place,
        )
        return Ordered(*paths), (x, y)
