"""Stage 5: full layers that close the part upward and downward, and the room left for infill."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import covers as keys
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.hatch import Hatch, Strokes, hatch
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.walls import Walls
from even_step.core.toolpath.roles import BOTTOM, SOLID, TOP
from even_step.core.work import Crew, runs_of

COVER_ROLES = (BOTTOM, SOLID, TOP)  # in the order they are laid
JOIN_WITHIN = 3.0  # spacings: ends of neighbouring lines no further apart are joined


@dataclass(frozen=True)
class CoverSettings:
    """How many full layers, and how their lines lie; mm, mm², degrees."""

    top_layers: Annotated[int, keys.TOP_LAYERS]
    bottom_layers: Annotated[int, keys.BOTTOM_LAYERS]
    top_width: Annotated[float, keys.TOP_WIDTH]
    bottom_width: Annotated[float, keys.BOTTOM_WIDTH]
    angle: Annotated[float, keys.ANGLE]
    least_area: Annotated[float, keys.LEAST_AREA]


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
    line_set : (L,) int64
        Which set of lines a layer has.
    lines : Strokes
        Three cells a set: bottom, solid, top.
    width : (3,) float64
        Line width of each role, mm.
    """

    which: Index
    walls: Index
    full: Regions
    room: Regions
    line_set: Index
    lines: Strokes
    width: NDArray[np.float64]


def _ahead(numbers: Index, by: int) -> Index:
    """Return what lies ``by`` layers above each layer (below for less than 0); −1 outside the part."""
    out = np.full_like(numbers, -1)
    if abs(by) < len(numbers):
        out[max(0, -by) : len(numbers) - max(0, by)] = numbers[max(0, by) : len(numbers) - max(0, -by)]
    return out


def covers(outlines: Outlines, walls: Walls, settings: CoverSettings, crew: Crew) -> Covers:
    """Divide the inside of each layer into top, solid, bottom and room for infill, and lay the full lines."""
    reach = [*range(settings.top_layers, 0, -1), *range(-settings.bottom_layers, 0)]
    near = [_ahead(outlines.which, by) for by in reach]
    rows, which = np.unique(np.stack((walls.which, *near), axis=1), axis=0, return_inverse=True)
    which = which.ravel()
    open_to = _open_to(walls.inner, outlines.outline, rows, crew)

    def split(first: int, last: int) -> tuple[Regions, Regions]:
        some = _Division(walls.inner[rows[first:last, 0]], outlines.outline, rows[first:last, 1:], open_to[first:last])
        return some.divide(reach, settings.least_area)

    weights = region.size_in_points(walls.inner[rows[:, 0]]) * (1 + open_to.sum(axis=1))
    done = crew.each(split, runs_of(weights, most=20_000))
    full = np.concatenate([one[0] for one in done])
    room = np.concatenate([one[1] for one in done])
    width = np.array([settings.bottom_width, settings.bottom_width, settings.top_width])
    line_set, lines = _lay(full, which, walls.height[rows[:, 0]], settings.angle, width, crew)
    return Covers(which, rows[:, 0], full, room, line_set, lines, width)


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


@dataclass
class _Division:
    """Some insides, the outlines near them (by number, −1 for none), and which leave them open."""

    inner: Regions
    outline: Regions
    near: Index
    open_to: NDArray[np.bool_]

    def divide(self, reach: list[int], least_area: float) -> tuple[Regions, Regions]:
        """Return bottom, solid and top, (n, 3), and the room for infill, (n,)."""
        room = self._room()
        full = region.nothing(len(room))
        cut = self.open_to.any(axis=1)
        full[cut] = region.difference(self.inner[cut], room[cut])
        self._take_small_pieces(room, full, least_area)
        bottom = self._beyond(full, reach.index(-1)) if -1 in reach else region.nothing(len(full))
        top = self._beyond(full, reach.index(1)) if 1 in reach else region.nothing(len(full))
        top = region.difference(top, bottom)
        solid = region.difference(region.difference(full, bottom), top)
        return np.stack((bottom, solid, top), axis=1), room

    def _room(self) -> Regions:
        """What every near layer covers; the farthest first, for it mostly settles the nearer ones."""
        room = self.inner.copy()
        room[(self.open_to & (self.near < 0)).any(axis=1)] = region.EMPTY
        for column in range(self.near.shape[1]):
            todo = np.flatnonzero(self.open_to[:, column] & ~region.is_empty(room))
            other = self.outline[self.near[todo, column]]
            still = ~region.covers(other, room[todo])
            room[todo[still]] = region.intersection(room[todo[still]], other[still])
        return room

    def _take_small_pieces(self, room: Regions, full: Regions, least_area: float) -> None:
        """Make full what is too small for infill."""
        parts, owner = region.pieces(room)
        small = region.area(parts) < least_area
        hit = np.unique(owner[small])
        if len(hit):
            room[hit] = region.gathered(parts[~small], owner[~small], len(room))[hit]
            full[hit] = region.difference(self.inner[hit], room[hit])

    def _beyond(self, full: Regions, column: int) -> Regions:
        """What of the full regions one near layer does not cover."""
        out = region.nothing(len(full))
        todo = self.open_to[:, column] & ~region.is_empty(full)
        bare = todo & (self.near[:, column] < 0)
        out[bare] = full[bare]
        part = todo & (self.near[:, column] >= 0)
        out[part] = region.difference(full[part], self.outline[self.near[part, column]])
        return out


def _lay(
    full: Regions,
    which: Index,
    height: NDArray[np.float64],
    angle: float,
    width: NDArray[np.float64],
    crew: Crew,
) -> tuple[Index, Strokes]:
    """Lay the lines of full regions, each layer across the one below."""
    empty = np.asarray(region.is_empty(full).all(axis=1))
    odd = (np.arange(len(which)) % 2) * ~empty[which]
    pairs, line_set = np.unique(np.stack((which, odd), axis=1), axis=0, return_inverse=True)
    cells = full[pairs[:, 0]].ravel()
    spacing = plastic_width(np.tile(width, len(pairs)), np.repeat(height[pairs[:, 0]], 3))
    how = Hatch(
        np.repeat(angle + 90.0 * pairs[:, 1], 3),
        spacing,
        (0.0, 0.0),
        np.zeros(len(cells)),
        JOIN_WITHIN * spacing,
    )
    return line_set.ravel(), hatch(region.rings(cells), how, crew)
