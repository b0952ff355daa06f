"""Stage 5, by area: what of the inside of a layer is bottom, solid, top, or room for infill."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions

THIN_ROOM = 1.5  # lines: what is narrower on average holds no infill
THIN_FULL = 0.9  # lines: what is narrower on average is no line of its own


@dataclass
class Division:
    """Some insides, the outlines near them (by number, −1 for none), and which leave them open.

    Room smaller than ``least_area`` mm², or too narrow for infill, is made full, none where that is 0; lines are
    ``width`` mm wide.
    """

    inner: Regions
    outline: Regions
    near: Index
    open_to: NDArray[np.bool_]
    least_area: float
    width: float

    def divide(self, reach: list[int]) -> tuple[Regions, Regions]:
        """Return bottom, solid and top, (n, 3), and the room for infill, (n,)."""
        room, full = self._parted()
        self._take_small_pieces(room, full)
        self._widen_slivers(room, full)
        bottom = self._beyond(full, reach.index(-1)) if -1 in reach else region.nothing(len(full))
        top = self._beyond(full, reach.index(1)) if 1 in reach else region.nothing(len(full))
        top = region.difference(top, bottom)
        solid = region.difference(region.difference(full, bottom), top)
        self._join_slivers(full, bottom, solid, top)
        return np.stack((bottom, solid, top), axis=1), room

    def _parted(self) -> tuple[Regions, Regions]:
        """Return what every near layer covers, and the rest; the farthest first, for it mostly settles the nearer ones.

        Both come from the same two outlines where one layer alone leaves something open: what is left of the inside
        once the room is taken from it is made of edges that nearly coincide, which takes four times as long.
        """
        room, full = self.inner.copy(), region.nothing(len(self.inner))
        bare = (self.open_to & (self.near < 0)).any(axis=1)
        room[bare], full[bare] = region.EMPTY, self.inner[bare]
        again = np.zeros(len(room), bool)
        for column in range(self.near.shape[1]):
            todo = np.flatnonzero(self.open_to[:, column] & ~region.is_empty(room))
            other = self.outline[self.near[todo, column]]
            still = ~region.covers(other, room[todo])
            rows, other = todo[still], other[still]
            again[rows] |= ~region.is_empty(full[rows])
            full[rows] = region.difference(room[rows], other)
            room[rows] = region.intersection(room[rows], other)
        full[again] = region.difference(self.inner[again], room[again])
        return room, full

    def _take_small_pieces(self, room: Regions, full: Regions) -> None:
        """Make full what is too small or too narrow for infill."""
        if self.least_area <= 0.0:
            return
        parts, owner = region.pieces(room)
        small = (region.area(parts) < self.least_area) | (region.mean_width(parts) < THIN_ROOM * self.width)
        hit = np.unique(owner[small])
        if len(hit):
            room[hit] = region.gathered(parts[~small], owner[~small], len(room))[hit]
            full[hit] = region.difference(self.inner[hit], room[hit])

    def _widen_slivers(self, room: Regions, full: Regions) -> None:
        """Make full pieces into which no line fits a line wide toward the room; mostly they lie along a wall."""
        parts, owner = region.pieces(full)
        mean = region.mean_width(parts)
        thin = (mean < THIN_FULL * self.width) & ~region.is_empty(room)[owner]
        rows = np.unique(owner[thin])
        if len(rows):
            lacking = np.bincount(owner[thin], self.width - mean[thin]) / np.maximum(np.bincount(owner[thin]), 1)
            slivers = region.gathered(parts[thin], owner[thin], len(full))[rows]
            wide = region.offset(slivers, lacking[rows])
            room[rows] = region.difference(room[rows], wide)
            rest = region.gathered(parts[~thin], owner[~thin], len(full))[rows]
            full[rows] = region.union(rest, region.intersection(self.inner[rows], wide))

    def _join_slivers(self, full: Regions, bottom: Regions, solid: Regions, top: Regions) -> None:
        """Give slivers of one kind to a neighbour of another kind; all change in place."""
        for one, other, third in (
            (solid, bottom, top),
            (solid, top, bottom),
            (bottom, solid, top),
            (top, solid, bottom),
        ):
            parts, owner = region.pieces(one)
            thin = (region.mean_width(parts) < THIN_FULL * self.width) & region.touches(parts, other[owner])
            hit = np.unique(owner[thin])
            if len(hit):
                one[hit] = region.gathered(parts[~thin], owner[~thin], len(one))[hit]
                # What is left of the whole, for the union of neighbours would keep a hairline between them.
                other[hit] = region.difference(region.difference(full[hit], one[hit]), third[hit])

    def _beyond(self, full: Regions, column: int) -> Regions:
        """What of the full regions one near layer does not cover."""
        out = region.nothing(len(full))
        todo = self.open_to[:, column] & ~region.is_empty(full)
        bare = todo & (self.near[:, column] < 0)
        out[bare] = full[bare]
        part = todo & (self.near[:, column] >= 0)
        out[part] = region.difference(full[part], self.outline[self.near[part, column]])
        return out
