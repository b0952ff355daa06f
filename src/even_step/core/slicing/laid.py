"""Walls as they are laid: closed lines, single lines, and what they leave; and putting them together."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points, Rings, joined_starts, starts_of
from even_step.core.plane.region import Regions

DOT = 0.3  # mm; what fills a gap and is shorter is a dot,
DOT_AREA = 0.1  # mm², and is left out, unless it covers so much that its place would be a void
STANDS_OUT = 0.02  # mm, by which a line may be wider than where its room is narrowest; half of it on each side


@dataclass(frozen=True, eq=False)
class Strands:
    """Open lines of changing width.

    Attributes
    ----------
    xy : (N, 2) float64
        mm.
    width : (N,) float64
        Drawn width from a point to the next, mm.
    start : (P + 1,) int64
        Where each begins.
    item : (P,) int64
        Which set of walls it belongs to, not falling.
    level : (P,) int64
        0 for the outermost wall; as many as there are walls for what fills the gap within.
    height : (P,) float64
        mm; 0 as high as its layer.
    """

    xy: Points
    width: NDArray[np.float64]
    start: Index
    item: Index
    level: Index
    height: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class LaidWalls:
    """Walls of some shapes.

    Attributes
    ----------
    rings : Rings
        Centre lines, shape by shape, outermost level first.
    width : (N,) float64
        Drawn width from each of their points to the next, mm.
    level : (R,) int64
        0 for the outermost wall.
    strands : Strands
        Single and gap-filling lines.
    inner : (n,) regions
        What is left inside.
    lost : (n,) regions
        What no line fits into.
    left : (n,) regions
        What is left to inner walls that are laid with a layer further up.
    """

    rings: Rings
    width: NDArray[np.float64]
    level: Index
    strands: Strands
    inner: Regions
    lost: Regions
    left: Regions

    def as_strands(self) -> Strands:
        """Return all lines as open ones; closed ones repeat their first point."""
        return strands_joined([opened(self.rings, self.width, self.level), self.strands])


def opened(rings: Rings, width: NDArray[np.float64], level: Index) -> Strands:
    """Return closed lines as open ones that repeat their first point."""
    start, count = rings.start, np.diff(rings.start)
    ends = np.cumsum(count + 1) - 1
    place = np.arange(int((count + 1).sum())) - np.repeat(np.arange(len(count)), count + 1)
    place[ends] = start[:-1]
    return Strands(
        rings.xy[place], width[place], np.append(0, ends + 1).astype(np.int64), rings.item, level, np.zeros(len(count))
    )


def closed(strands: Strands) -> tuple[Rings, NDArray[np.float64], Index]:
    """Return open lines that repeat their first point as closed ones: rings, widths and levels."""
    count = np.diff(strands.start)
    kept = np.ones(len(strands.xy), np.bool_)
    kept[strands.start[1:] - 1] = False
    rings = Rings(strands.xy[kept], starts_of(count - 1), strands.item, np.arange(len(count)))
    return rings, strands.width[kept], strands.level


def no_strands() -> Strands:
    """Return none."""
    none = np.empty(0, np.int64)
    return Strands(np.empty((0, 2)), np.empty(0), np.zeros(1, np.int64), none, none, np.empty(0))


def strands_joined(many: list[Strands]) -> Strands:
    """Put open lines together, by their items."""
    if not many:
        return no_strands()
    return _sorted(
        Strands(
            np.concatenate([strands.xy for strands in many]),
            np.concatenate([strands.width for strands in many]),
            joined_starts([strands.start for strands in many]),
            np.concatenate([strands.item for strands in many]),
            np.concatenate([strands.level for strands in many]),
            np.concatenate([strands.height for strands in many]),
        )
    )


def without_dots(strands: Strands, least: float) -> Strands:
    """Leave out lines shorter than ``least`` mm that cover little: the nozzle would stop for hardly any plastic."""
    if len(strands.item) == 0:
        return strands
    steps = np.zeros(len(strands.xy))
    steps[1:] = np.hypot(*np.diff(strands.xy, axis=0).T)
    steps[strands.start[:-1]] = 0.0
    along = np.cumsum(steps)
    long = along[strands.start[1:] - 1] - along[strands.start[:-1]]
    wide = np.maximum.reduceat(strands.width, strands.start[:-1])
    kept = np.flatnonzero((long >= least - 1e-9) | ((long + wide) * wide > DOT_AREA))
    return strands if len(kept) == len(strands.item) else chosen_strands(strands, kept)


def _sorted(strands: Strands) -> Strands:
    return chosen_strands(strands, np.argsort(strands.item, kind="stable"))


def chosen_strands(strands: Strands, order: Index) -> Strands:
    """Return some open lines, in an order."""
    start, place = chosen(strands.start, order)
    return Strands(
        strands.xy[place],
        strands.width[place],
        start,
        strands.item[order],
        strands.level[order],
        strands.height[order],
    )


def chosen(start: Index, order: Index) -> tuple[Index, Index]:
    """Return starts and places of points when only some paths are taken, in an order."""
    count = np.diff(start)[order]
    fresh = starts_of(count)
    return fresh, np.repeat(start[:-1][order] - fresh[:-1], count) + np.arange(int(fresh[-1]))


def levels_joined(laid: list[tuple[Rings, NDArray[np.float64]]]) -> tuple[Rings, NDArray[np.float64], Index]:
    """Put the rings of all levels together, shape by shape, outermost level first."""
    if not laid:
        return region.rings(region.nothing(0)), np.empty(0), np.empty(0, np.int64)
    level = np.concatenate([np.full(len(rings.item), number, np.int64) for number, (rings, _) in enumerate(laid)])
    rings = _side_by_side([rings for rings, _ in laid])
    width = np.concatenate([width for _, width in laid])
    order = np.lexsort((np.arange(len(level)), level, rings.item))
    return *_taken(rings, width, order), level[order]


def gathered(parts: list[LaidWalls], places: list[Index]) -> LaidWalls:
    """Put walls of several groups of shapes together; ``places`` says which shapes each group holds."""
    count = sum(len(place) for place in places)
    rings = _side_by_side(
        [
            Rings(part.rings.xy, part.rings.start, place[part.rings.item], part.rings.polygon)
            for part, place in zip(parts, places, strict=True)
        ]
    )
    order = np.argsort(rings.item, kind="stable")
    level = np.concatenate([part.level for part in parts])[order]
    rings, width = _taken(rings, np.concatenate([part.width for part in parts]), order)
    strands = [replace(part.strands, item=place[part.strands.item]) for part, place in zip(parts, places, strict=True)]
    inner, lost, left = (region.nothing(count) for _ in range(3))
    for part, place in zip(parts, places, strict=True):
        inner[place], lost[place], left[place] = part.inner, part.lost, part.left
    return LaidWalls(rings, width, level, strands_joined(strands), inner, lost, left)


def behind(outer: LaidWalls, inner: LaidWalls, height: NDArray[np.float64]) -> LaidWalls:
    """Put inner walls behind the outermost; ``height`` is what they are laid with, mm, 0 where they are not laid."""
    kept = height[inner.rings.item] > 0
    numbers = np.flatnonzero(kept)
    some, width = _taken(inner.rings, inner.width, numbers)
    rings = _side_by_side([outer.rings, some])
    level = np.concatenate((outer.level, inner.level[numbers] + 1))
    order = np.lexsort((np.arange(len(level)), level, rings.item))
    rings, width = _taken(rings, np.concatenate((outer.width, width)), order)
    lines = chosen_strands(inner.strands, np.flatnonzero(height[inner.strands.item] > 0))
    lines = replace(lines, level=lines.level + 1, height=height[lines.item])
    left = np.where(height > 0, region.nothing(len(height)), region.difference(outer.inner, inner.inner))
    return LaidWalls(rings, width, level[order], strands_joined([outer.strands, lines]), inner.inner, outer.lost, left)


def _side_by_side(many: list[Rings]) -> Rings:
    """Concatenate rings with polygons numbered on; items are taken as they are."""
    tops = np.cumsum([0, *(int(rings.polygon[-1]) + 1 if len(rings.polygon) else 0 for rings in many)])
    return Rings(
        np.concatenate([rings.xy for rings in many]),
        joined_starts([rings.start for rings in many]),
        np.concatenate([rings.item for rings in many]),
        np.concatenate([rings.polygon + at for rings, at in zip(many, tops, strict=False)]),
    )


def _taken(rings: Rings, width: NDArray[np.float64], order: Index) -> tuple[Rings, NDArray[np.float64]]:
    """Put rings in an order that keeps those of a polygon together."""
    start, place = chosen(rings.start, order)
    polygon = rings.polygon[order]
    fresh = np.diff(polygon, prepend=polygon[:1]) != 0
    return Rings(rings.xy[place], start, rings.item[order], np.cumsum(fresh)), width[place]
