"""Parts are laid out by what they truly cover: small ones lie in the bays and rings of large ones.

One after another, the largest first, each goes where all that lie take up least of the bed, and among
such places to the nearest. Where a part may lie follows from the no-fit regions of those that lie already (``runs``).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.layout.runs import NO_CELLS, Runs, no_fit, runs_of_shape
from even_step.core.layout.shadow import Shadow, box_shadow
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points

MOST_CELLS = 600  # along the longer side of the ground
FINEST = 0.25  # mm
LEAST_SPACING = 0.01  # mm
ROUNDED = 1.003  # a grown corner is a polygon within its arc
NEAR = 0.05  # mm² of bed that a mm² of way from the anchor counts
BOTH = (False, True)
ORDERS, SEED, PUSHED = 40, 20_261, 1.4  # further orders that are tried when something found no room
DENSEST = 0.85  # of the ground that parts ever cover
FEW = 1500  # parts times kinds: so many are laid in every way, more in two ways
REMEMBERED = 200_000_000  # bytes of no-fit regions that are kept; further ones are worked out each time


@dataclass(frozen=True)
class Way:
    """One way to lay parts out; which of them does best depends on the parts.

    Attributes
    ----------
    from_corner : bool
        Whether they are lined up from a corner, not from the middle.
    longest_first : bool
        Whether the longest comes first, not the largest.
    square : float
        What a longish bed counts against its area.
    """

    from_corner: bool
    longest_first: bool
    square: float


MIDDLE, CORNER = (
    Way(from_corner=False, longest_first=False, square=0.5),
    Way(from_corner=True, longest_first=False, square=0.1),
)
WAYS = tuple(
    dict.fromkeys(
        [MIDDLE, CORNER]
        + [Way(corner, longest, square) for square in (0.1, 0.5) for longest in BOTH for corner in BOTH]
    )
)


@dataclass(frozen=True, eq=False)
class Ground:
    """Where parts may lie.

    Attributes
    ----------
    bounds : tuple
        Least x, least y, largest x, largest y, mm.
    is_round : bool
        Whether it is the disc within the bounds.
    keep_out : tuple of regions
        What must stay free, mm.
    """

    bounds: tuple[float, float, float, float]
    is_round: bool = False
    keep_out: tuple[region.Geometry, ...] = ()

    @property
    def centre(self) -> NDArray[np.float64]:
        """Its middle, (2,), mm."""
        return np.asarray((np.array(self.bounds[:2]) + self.bounds[2:]) / 2)

    @property
    def size(self) -> NDArray[np.float64]:
        """Its width and depth, (2,), mm."""
        return np.subtract(self.bounds[2:], self.bounds[:2])

    def holds(self, corners: Points) -> bool:
        """Tell whether all corners of a part lie on it."""
        if self.is_round:
            return bool(np.hypot(*(corners - self.centre).T).max() <= self.size[0] / 2 + 1e-9)
        return bool(
            (corners >= np.array(self.bounds[:2]) - 1e-9).all() and (corners <= np.add(self.bounds[2:], 1e-9)).all()
        )


@dataclass(frozen=True)
class Laid:
    """Where a part lies: the middle of its bounds, mm, its turn, degrees; ``fits`` tells whether there was room."""

    at: tuple[float, float]
    turn: float
    fits: bool


def nest(
    shadows: Sequence[Shadow],
    ground: Ground,
    taken: Sequence[tuple[Shadow, tuple[float, float]]] = (),
    spacing: float = 6.0,
    turns: tuple[float, ...] = (0.0,),
) -> list[Laid]:
    """Find a place for each part.

    Parameters
    ----------
    shadows
        What the parts cover. Equal parts had best share one shadow.
    ground
        Where they may lie.
    taken
        What lies already, and where.
    spacing
        Least distance between parts, mm.
    turns
        Turns that each part may be given, degrees; the first is preferred.

    Returns
    -------
    list of Laid
        In the order of the shadows. Alone on the ground they are centred. What finds no room is put beside the ground,
        where it shows.
    """
    if not shadows:
        return []
    table = _Table(shadows, ground, taken, spacing, turns)
    few = len(shadows) * table.count <= FEW
    if len(shadows) + len(taken) == 1:
        best = table.lay(shadows, MIDDLE)
    else:
        tries = [table.lay(shadows, way) for way in (WAYS if few else WAYS[:2])]
        boxes = {one: box_shadow(*one.size) for one in shadows}
        if few:  # what fits as boxes fits as it is
            boxed = _Table(list(boxes.values()), ground, taken, spacing, turns)
            tries += [boxed.lay([boxes[one] for one in shadows], way) for way in WAYS[:2]]
        best = min(tries, key=lambda laid: _cost(shadows, laid))
        if few and not all(one.fits for one in best) and not _overfull(shadows, ground, taken):
            best = _in_other_orders(shadows, table, best)
    return best if taken or ground.keep_out else _recentred(shadows, best, ground)


def _overfull(shadows: Sequence[Shadow], ground: Ground, taken: Sequence[tuple[Shadow, tuple[float, float]]]) -> bool:
    """Tell from their areas alone that parts cannot all find room, in whatever order they are laid."""
    shapes = [one.shape for one in (*shadows, *(shadow for shadow, _ in taken))]
    covered = float(region.area(np.array([*shapes, *ground.keep_out], object)).sum())
    share = np.pi / 4 if ground.is_round else 1.0
    return covered > DENSEST * share * float(np.prod(ground.size))


def _in_other_orders(shadows: Sequence[Shadow], table: _Table, best: list[Laid]) -> list[Laid]:
    """Try again with what found no room moved up in the order, then in other orders, as long as something is left."""
    rank = np.array([float(np.prod(one.size)) for one in shadows])
    chance = np.random.default_rng(SEED)
    for k in range(ORDERS):
        way = (MIDDLE, CORNER)[k % 2]
        laid = table.lay(shadows, way, rank.tolist())
        if _cost(shadows, laid) < _cost(shadows, best):
            best = laid
        if all(one.fits for one in best):
            break
        left = [i for i, one in enumerate(laid) if not one.fits]
        rank[left] *= PUSHED
        rank *= chance.uniform(1.0, 1.1, len(rank))
    return best


def _cost(shadows: Sequence[Shadow], laid: list[Laid]) -> tuple[int, float]:
    """Return how many found no room, and what the others take up."""
    return sum(not one.fits for one in laid), _taken_up(shadows, laid)


def _taken_up(shadows: Sequence[Shadow], laid: list[Laid]) -> float:
    """Return the area of the rectangle round everything that fits, mm²."""
    corners = [
        one.turned(where.turn).corners + where.at for one, where in zip(shadows, laid, strict=True) if where.fits
    ]
    return float(np.prod(np.ptp(np.concatenate(corners), axis=0))) if corners else 0.0


def _recentred(shadows: Sequence[Shadow], laid: list[Laid], ground: Ground) -> list[Laid]:
    """Bring what fits to the middle of the ground, unless that would push a part off it."""
    there = [one.turned(where.turn).corners + where.at for one, where in zip(shadows, laid, strict=True) if where.fits]
    if not there:
        return laid
    low, high = np.min([c.min(axis=0) for c in there], axis=0), np.max([c.max(axis=0) for c in there], axis=0)
    shift = np.round(ground.centre - (low + high) / 2, 3)
    if not all(ground.holds(corners + shift) for corners in there):
        return laid
    return [
        Laid((round(one.at[0] + shift[0], 3), round(one.at[1] + shift[1], 3)), one.turn, True) if one.fits else one
        for one in laid
    ]


class _Kind:
    """One shadow in one turn: what it covers with half of the spacing round it, and where it may still lie."""

    def __init__(self, shadow: Shadow, turn: float, table: _Table) -> None:
        self.shadow, self.turn, self._table = shadow.turned(turn), turn, table
        self.free = table.places_on_the_ground(self.shadow)
        # What is larger than the ground has no place, however many cells it would cover.
        self.runs = table.cells(self.shadow) if self.free.any() else NO_CELLS
        self._overlaps: dict[int, tuple[NDArray[np.bool_], Index]] = {}
        for obstacle in table.obstacles:
            self.forbid(obstacle)
        self._at_first = self.free.copy()

    def begin(self) -> None:
        """Forget what was laid."""
        self.free[:] = self._at_first

    def forbid(self, lying: Runs, column: int = 0, row: int = 0) -> None:
        """Forbid all places where this would share a cell with what lies, moved by columns and rows."""
        if len(self.runs.spans) == 0:
            return
        known = self._overlaps.get(id(lying))
        overlaps, low = known or no_fit(lying, self.runs)
        if known is None and self._table.room > 0:
            self._overlaps[id(lying)] = overlaps, low
            self._table.room -= overlaps.nbytes
        column, row = column + int(low[0]), row + int(low[1])
        deep, across = self.free.shape
        x0, y0 = max(column, 0), max(row, 0)
        x1, y1 = min(column + overlaps.shape[1], across), min(row + overlaps.shape[0], deep)
        if x0 < x1 and y0 < y1:
            self.free[y0:y1, x0:x1] &= ~overlaps[y0 - row : y1 - row, x0 - column : x1 - column]


class _Table:
    """The ground as a grid of places, and what lies on it."""

    def __init__(
        self,
        shadows: Sequence[Shadow],
        ground: Ground,
        taken: Sequence[tuple[Shadow, tuple[float, float]]],
        spacing: float,
        turns: tuple[float, ...],
    ) -> None:
        self.ground, self.spacing, self.taken = ground, spacing, taken
        self.cell = max(FINEST, float(ground.size.max()) / MOST_CELLS)
        self.half = np.floor(ground.size / 2 / self.cell).astype(np.int64)
        self.first = ground.centre - self.half * self.cell  # so that the middle of the ground is a place
        self.obstacles = self._obstacles()
        self.room = REMEMBERED
        self.kinds = {shadow: [_Kind(shadow, turn, self) for turn in turns] for shadow in dict.fromkeys(shadows)}
        self.lying: dict[int, tuple[_Kind, int, int]] = {}
        self.box = np.empty(4)

    def _obstacles(self) -> list[Runs]:
        """Return the cells of what lies already and of what is kept free, as far as they reach over the ground."""
        x0, y0, x1, y1 = self.ground.bounds
        reach = region.rectangle(x0 - self.spacing, y0 - self.spacing, x1 + self.spacing, y1 + self.spacing)
        shapes = [region.shifted(self._grown(shadow), *at) for shadow, at in self.taken] + [*self.ground.keep_out]
        near = region.intersection(np.array([*shapes, reach], object), np.array([reach] * (len(shapes) + 1), object))
        return [runs_of_shape(shape, self.first, self.cell) for shape in near[:-1] if not shape.is_empty]

    def _grown(self, shadow: Shadow) -> region.Geometry:
        """Return a shadow with half of the spacing round it."""
        if self.spacing <= LEAST_SPACING:
            return shadow.shape
        return region.offset_round(np.array([shadow.shape], object), self.spacing / 2 * ROUNDED)[0]

    def cells(self, shadow: Shadow) -> Runs:
        """Return the cells of a shadow about its middle, with half of the spacing round it."""
        return runs_of_shape(self._grown(shadow), np.zeros(2), self.cell)

    def places_on_the_ground(self, shadow: Shadow) -> NDArray[np.bool_]:
        """Return the places where a shadow lies wholly on the ground, (rows, columns)."""
        x = self.first[0] + np.arange(2 * self.half[0] + 1) * self.cell
        y = self.first[1] + np.arange(2 * self.half[1] + 1) * self.cell
        if self.ground.is_round:
            far = np.zeros((len(y), len(x)))
            for corner in shadow.corners - self.ground.centre:
                far = np.maximum(far, (x + corner[0])[None] ** 2 + (y + corner[1])[:, None] ** 2)
            return np.asarray(far <= (self.ground.size[0] / 2 + 1e-9) ** 2)
        x0, y0, x1, y1 = self.ground.bounds
        half = shadow.size / 2 - 1e-9
        across = (x - half[0] >= x0) & (x + half[0] <= x1)
        return np.asarray(((y - half[1] >= y0) & (y + half[1] <= y1))[:, None] & across)

    def lay(self, shadows: Sequence[Shadow], way: Way, rank: list[float] | None = None) -> list[Laid]:
        """Lay all shadows in some way, those of the highest rank first; what finds no room goes beside the ground."""
        self._begin()
        rank = rank or [float(one.size.max() if way.longest_first else np.prod(one.size)) for one in shadows]
        no_room: set[Shadow] = set()
        for i in sorted(range(len(shadows)), key=lambda i: (-rank[i], i)):
            if shadows[i] not in no_room and not self._lay_one(i, shadows[i], way):
                no_room.add(shadows[i])
        return self._result(shadows)

    def _begin(self) -> None:
        self.lying = {}
        self.box = np.array([np.inf, np.inf, -np.inf, -np.inf])
        for shadow, at in self.taken:
            self._grow_box(shadow.corners + at)
        for kind in self._all_kinds():
            kind.begin()

    @property
    def count(self) -> int:
        """How many kinds there are: shadows in each of their turns."""
        return sum(len(some) for some in self.kinds.values())

    def _all_kinds(self) -> Iterator[_Kind]:
        return (kind for some in self.kinds.values() for kind in some)

    def _at(self, i: int) -> tuple[float, float]:
        _, column, row = self.lying[i]
        x, y = self.first + np.array([column, row]) * self.cell
        return round(float(x), 3), round(float(y), 3)

    def _grow_box(self, corners: Points) -> None:
        low, high = corners.min(axis=0), corners.max(axis=0)
        self.box = np.append(np.minimum(self.box[:2], low), np.maximum(self.box[2:], high))

    def _lay_one(self, i: int, shadow: Shadow, way: Way) -> bool:
        """Lay a shadow in its best turn at its best place, if there is one."""
        anchor = np.array(self.ground.bounds[:2]) if way.from_corner else self.ground.centre
        best, chosen = (np.inf, 0, 0), None
        for kind in self.kinds[shadow]:
            half = kind.shadow.size / 2
            found = _best_place(kind.free, self.first, self.cell, half, self.box, anchor, way.square)
            if found[0] < best[0] - 1e-9:
                best, chosen = found, kind
        if chosen is not None:
            self.lying[i] = chosen, best[1], best[2]
            self._grow_box(chosen.shadow.corners + self._at(i))
            for other in self._all_kinds():
                other.forbid(chosen.runs, best[1], best[2])
        return chosen is not None

    def _result(self, shadows: Sequence[Shadow]) -> list[Laid]:
        """Return where everything lies; what found no room is lined up beside the ground."""
        out = []
        beside = max(self.ground.bounds[2], float(self.box[2]))
        for i, shadow in enumerate(shadows):
            if i in self.lying:
                out.append(Laid(self._at(i), self.lying[i][0].turn, fits=True))
                continue
            half = shadow.size / 2
            middle = (beside + self.spacing + float(half[0]), self.ground.bounds[1] + float(half[1]))
            out.append(Laid((round(middle[0], 3), round(middle[1], 3)), 0.0, fits=False))
            beside = middle[0] + float(half[0])
        return out


@kernel
def _best_place(free, first, cell, half, box, anchor, square):  # type: ignore[no-untyped-def]
    """Return the cost of the best free place, its column and row: least bed taken up, then nearest."""
    best = np.inf
    column = row = 0
    for j in range(free.shape[0]):
        y = first[1] + j * cell
        deep = max(box[3], y + half[1]) - min(box[1], y - half[1])
        for i in range(free.shape[1]):
            if not free[j, i]:
                continue
            x = first[0] + i * cell
            wide = max(box[2], x + half[0]) - min(box[0], x - half[0])
            cost = wide * deep + square * (wide - deep) ** 2
            cost += NEAR * ((x - anchor[0]) ** 2 + (y - anchor[1]) ** 2)
            if cost < best:
                best, column, row = cost, i, j
    return best, column, row
