"""Stage 5: full layers that close the part upward and downward, and the room left for infill."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import covers as keys
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.hatch import Hatch, hatch
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.bands import bands
from even_step.core.slicing.bridges import Bridges, BridgeSettings, find_bridges
from even_step.core.slicing.division import Division
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.ledges import Ledges, find_ledges, lay_ledges
from even_step.core.slicing.patterns.pattern import JOIN_WITHIN, Fill, LayerRooms, PatternLayout, fill_layers, nothing
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.walls import Walls
from even_step.core.toolpath.roles import BOTTOM, BRIDGE, SOLID, TOP
from even_step.core.work import Crew, runs_of

COVER_ROLES = (BOTTOM, SOLID, TOP)


@dataclass(frozen=True)
class CoverSettings:
    """How many full layers, and how their lines lie; mm, mm², degrees."""

    LAYS: ClassVar[str] = "covers"

    top_layers: Annotated[int, keys.TOP_LAYERS]
    top_thickness: Annotated[float, keys.TOP_THICKNESS]
    bottom_layers: Annotated[int, keys.BOTTOM_LAYERS]
    bottom_thickness: Annotated[float, keys.BOTTOM_THICKNESS]
    top_pattern: Annotated[str, keys.TOP_PATTERN]
    bottom_pattern: Annotated[str, keys.BOTTOM_PATTERN]
    top_width: Annotated[float, keys.TOP_WIDTH]
    bottom_width: Annotated[float, keys.BOTTOM_WIDTH]
    solid_width: Annotated[float, keys.SOLID_WIDTH]
    angle: Annotated[float, keys.ANGLE]
    least_area: Annotated[float, keys.LEAST_AREA]

    def reach(self, thick: NDArray[np.float64]) -> tuple[Index, Index]:
        """Return how many layers above each layer, and below it, must cover a point for it to be open inside, (L,).

        As many as are counted, or as reach the thickness wanted, whichever is more; ``thick`` is each layer's, mm.
        """
        above = _layers_for(thick, self.top_thickness)
        below = _layers_for(thick[::-1], self.bottom_thickness)[::-1]
        return np.maximum(self.top_layers, above), np.maximum(self.bottom_layers, below)

    def turned(self, turn: float) -> CoverSettings:
        """Return how full lines lie in a solid whose part is turned on the bed, degrees: they turn with the part."""
        return replace(self, angle=self.angle + turn)

    def of_role(self, role: int) -> tuple[str, float]:
        """Return pattern and line width of a role."""
        return {
            BOTTOM: (self.bottom_pattern, self.bottom_width),
            SOLID: ("lines", self.solid_width),
            TOP: (self.top_pattern, self.top_width),
        }[role]


@dataclass(frozen=True, eq=False)
class Covers:
    """What of the inside of each layer is full, and what is room for infill.

    Attributes
    ----------
    which : (L,) int64
        Which division a layer has.
    walls : (D,) int64
        The set of walls each division lies in.
    full : (D, 3) regions
        Bottom, solid and top.
    room : (D,) regions
        What is left for infill.
    open : (D,) regions
        That, and what is left to inner walls of a layer further up: what is not to be full.
    bridges : Bridges
        What is laid over air, by division; no part of the above.
    fills : of Fill
        Their lines in the order they are laid, the tops apart, for those come last.
    """

    which: Index
    walls: Index
    full: Regions
    room: Regions
    open: Regions
    bridges: Bridges
    fills: tuple[Fill, ...]
    tops: tuple[Fill, ...]


def _layers_for(thick: NDArray[np.float64], wanted: float) -> Index:
    """Return how many of the layers after each are as thick as wanted together, (L,); one beyond the last counts."""
    if wanted <= 0.0:
        return np.zeros(len(thick), np.int64)
    tops = np.cumsum(thick)
    return np.searchsorted(tops, tops + wanted - 1e-6) - np.arange(len(thick))


def _ahead(numbers: Index, by: Index) -> Index:
    """Return what lies so many layers above each layer (below for less than 0); −1 outside the part."""
    at = np.arange(len(numbers)) + by
    inside = (at >= 0) & (at < len(numbers))
    return np.where(inside, numbers[np.where(inside, at, 0)], -1)


def covers(
    outlines: Outlines,
    walls: Walls,
    heights: Heights,
    settings: CoverSettings,
    over_air: BridgeSettings,
    crew: Crew,
) -> Covers:
    """Divide the inside of each layer into bridge, bottom, solid, top and room for infill, and lay the full lines."""
    thick = walls.height[walls.which]
    above, beneath = settings.reach(thick)
    # The farthest above first; a layer that needs fewer looks at its farthest again.
    reach = [*range(int(above.max(initial=0)), 0, -1), *range(-int(beneath.max(initial=0)), 0)]
    near = [_ahead(outlines.which, np.clip(by, -beneath, above)) for by in reach]
    rows, which = np.unique(np.stack((walls.which, *near), axis=1), axis=0, return_inverse=True)
    which = which.ravel()
    open_to = _open_to(walls.inner, outlines.outline, rows, crew)

    def split(first: int, last: int) -> tuple[Regions, Regions]:
        some = Division(
            walls.inner[rows[first:last, 0]],
            outlines.outline,
            rows[first:last, 1:],
            open_to[first:last],
            settings.least_area,
            settings.solid_width,
        )
        return some.divide(reach)

    weights = region.size_in_points(walls.inner[rows[:, 0]]) * (1 + open_to.sum(axis=1))
    done = crew.each(split, runs_of(weights, most=20_000))
    full = np.concatenate([one[0] for one in done])
    room = np.concatenate([one[1] for one in done])
    below = region.nothing(len(rows))
    if -1 in reach:
        under = rows[:, 1 + reach.index(-1)]
        below[under >= 0] = outlines.outline[under[under >= 0]]
    bridges = find_bridges(full[:, 0], below, walls.inner[rows[:, 0]], over_air, crew)
    _take(full, room, bridges.division, bridges.shape, crew)
    asked = full[:, 0] if settings.bottom_pattern == "lines" else region.nothing(len(full))
    ledges = find_ledges(asked, below, walls.inner[rows[:, 0]], settings.bottom_width)
    _take(full, room, ledges.division, ledges.shape, crew)
    layers = LayerRooms(which, room, thick, heights.cuts[: len(which)])
    high = walls.height[rows[:, 0]]
    laid = [
        _filled(replace(layers, rooms=full[:, i]), high, role, settings, over_air.bore, crew)
        for i, role in enumerate(COVER_ROLES)
    ]
    spans = _laid_bridges(bridges, layers, over_air, settings.bottom_width, crew)
    hung = _laid_ledges(ledges, layers, high, settings.bottom_width, crew)
    open_ = region.union(room, walls.left[rows[:, 0]])
    return Covers(which, rows[:, 0], full, room, open_, bridges, (*spans, *hung, *laid[0], *laid[1]), laid[2])


def _filled(
    layers: LayerRooms, height: NDArray[np.float64], role: int, settings: CoverSettings, bore: float, crew: Crew
) -> tuple[Fill, ...]:
    """Lay the full lines of a role: its pattern, and lines along what is too narrow for rows of them."""
    pattern, width = settings.of_role(role)
    layout = _layout(settings, role)
    if pattern != "lines":
        return (fill_layers(layers, role, width, layout, crew),)
    rest, along = bands(layers.rooms, height, width, bore, crew)
    count = len(layers.rooms)
    narrow = Fill(role, width, layers.which, nothing(count), np.zeros(count), along=along)
    return fill_layers(replace(layers, rooms=rest), role, width, layout, crew), narrow


def _layout(settings: CoverSettings, role: int) -> PatternLayout:
    """Return how full lines lie: counted from the solid's own middle, so that copies share them."""
    pattern, _ = settings.of_role(role)
    return PatternLayout(pattern, 1.0, settings.angle, (0.0, 0.0), in_rows=pattern == "lines" and role != SOLID)


def _take(full: Regions, room: Regions, owner: Index, shape: Regions, crew: Crew) -> None:
    """Cut what is laid apart out of everything else of its division, in place."""
    divisions = np.unique(owner)

    def cut(first: int, last: int) -> None:
        for division in divisions[first:last]:
            taken = region.union_all(shape[owner == division])
            cells = np.append(full[division], room[division : division + 1])
            left = region.difference(cells, np.array([taken] * len(cells), object))
            full[division], room[division] = left[:3], left[3]

    crew.each(cut, runs_of(region.size_in_points(room[divisions])))


def _laid_bridges(
    bridges: Bridges, layers: LayerRooms, over_air: BridgeSettings, width: float, crew: Crew
) -> list[Fill]:
    """Lay the strands of bridges, one diameter apart; those of one division lie in turns of their own."""
    out = []
    for some, which in _by_turns(bridges.division, layers):
        spacing = np.full(len(some), over_air.bore)
        how = Hatch(
            bridges.angle[some],
            spacing,
            (0.0, 0.0),
            np.full(len(some), width / 4),
            JOIN_WITHIN * spacing,
            phase=np.zeros(len(some)),
        )
        lines = hatch(region.rings(bridges.shape[some]), how, crew)
        out.append(Fill(BRIDGE, over_air.bore, which, lines, np.zeros(len(some))))
    return out


def _by_turns(owner: Index, layers: LayerRooms) -> Iterator[tuple[Index, Index]]:
    """Give what lies in divisions in turns of one a division, with the number in its turn that each layer has."""
    number = np.arange(len(owner)) - np.searchsorted(owner, owner)
    for turn in range(int(number.max(initial=-1)) + 1):
        some = np.flatnonzero(number == turn)
        place = np.full(len(layers.rooms), -1, np.int64)
        place[owner[some]] = np.arange(len(some))
        yield some, place[layers.which]


def _laid_ledges(
    ledges: Ledges, layers: LayerRooms, height: NDArray[np.float64], width: float, crew: Crew
) -> list[Fill]:
    """Lay the lines of ledges, each beside the last, from what holds them outward."""
    out = []
    for some, which in _by_turns(ledges.division, layers):
        turn = Ledges(ledges.division[some], ledges.shape[some], ledges.angle[some])
        lines = lay_ledges(turn, plastic_width(width, height[turn.division]), JOIN_WITHIN, crew)
        out.append(Fill(BOTTOM, width, which, lines, np.zeros(len(some)), in_rows=True))
    return out


def _open_to(inner: Regions, outline: Regions, rows: Index, crew: Crew) -> NDArray[np.bool_]:
    """Tell which of the near layers leave something of each inside uncovered, (D, n).

    Most layers of most parts cover each other's inside wholly; to find that out is much cheaper than to
    intersect them.
    """
    if rows.shape[1] == 1:
        return np.zeros((len(rows), 0), bool)
    pairs = np.stack((np.repeat(rows[:, 0], rows.shape[1] - 1), rows[:, 1:].ravel()), axis=1)
    unique, place = np.unique(pairs, axis=0, return_inverse=True)
    open_ = np.ones(len(unique), bool)
    real = np.flatnonzero(unique[:, 1] >= 0)
    a, b = outline[unique[real, 1]], inner[unique[real, 0]]
    done = crew.each(lambda i, j: region.covers(a[i:j], b[i:j]), runs_of(region.size_in_points(b), most=20_000))
    if done:
        open_[real] = ~np.concatenate(done)
    return open_[place.ravel()].reshape(len(rows), -1)
