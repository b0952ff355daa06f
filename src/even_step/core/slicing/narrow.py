"""Stage 4 where it is narrow: lines whose width follows the room they have.

The rule, level by level from the outline inward, for the thickness ``t`` of what is left (in plastic widths; Kuipers
et al., "A framework for adaptive width control of dense contour-parallel toolpaths in fused deposition modeling",
2020, with all lines but the middle ones as wide as set):

- two full lines and at least the narrowest fit: a line as wide as set along each side, and on with what is left;
- less, but more than the widest line: two lines, half of the thickness each;
- less, but at least the narrowest line: one line along the middle, as wide as the thickness;
- less: nothing fits.

How thick it is along the outline (``plane/thickness``) says all of it; no outline is moved.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.axis import Axes, MovedIn, axes, axes_joined
from even_step.core.plane.nest import nested_rings
from even_step.core.plane.ragged import Index, Points, Rings, distinct, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.laid import DOT, STANDS_OUT, LaidWalls, chosen, gathered, strands_joined, without_dots
from even_step.core.slicing.measured import Measured, measured
from even_step.core.slicing.narrow_levels import closed_lines, slim_places, thin_places
from even_step.core.slicing.singles import SPACING, Bounds, lines_along
from even_step.core.slicing.whole_lines import unfit, whole_lines

MARGIN = 0.02  # mm, by which thickness is known beyond what is asked for
SPACINGS = (0.25, 0.16, 0.1)  # mm between samples; where they do not tell enough, the next is tried


class Tally:
    """How many points of outlines were followed with each spacing, and at last not at all; the bench reads it."""

    def __init__(self) -> None:
        self.points = [0] * (len(SPACINGS) + 1)
        self._lock = Lock()

    def add(self, step: int, points: int) -> None:
        """Count points; the last step is that they are not followed."""
        with self._lock:
            self.points[step] += points

    def shares(self) -> tuple[float, float]:
        """Return the share of points that were followed again from finer samples, and that were not followed."""
        return self.points[1] / max(self.points[0], 1), self.points[-1] / max(self.points[0], 1)


TALLY = Tally()


@dataclass(frozen=True, eq=False)
class Levels:
    """What lines are laid: plastic widths as set, outermost first, how deep the outermost's edge lies, mm; bounds."""

    filled: NDArray[np.float64]
    begin: float
    bounds: Bounds

    @property
    def count(self) -> int:
        """How many levels there are."""
        return len(self.filled)

    def deep(self, level: int) -> float:
        """Return how deep the edge of a level's lines lies, mm; of one more what is left inside."""
        return self.begin + float(self.filled[:level].sum())

    def full(self, level: int) -> float:
        """Return from which thickness on lines of a level are as wide as set, and something is left inside, mm."""
        return 2 * self.deep(level) + self.bounds.full_above(float(self.filled[min(level, self.count - 1)]))

    def pair(self, level: int) -> float:
        """Return from which thickness on there are two lines of a level, mm; past the last what is no gap."""
        return 2 * self.deep(level) + self.bounds.pair_above() if level < self.count else self.full(level)

    def least(self, level: int) -> float:
        """Return from which thickness on a level has room, mm."""
        return self.full(level - 1) if level else 0.0


@dataclass(frozen=True, eq=False)
class _Loops:
    """Rings: points with what each is shifted, where each begins, the polygon it lies in."""

    xy: Points
    shift: NDArray[np.float64]
    start: Index
    of: Index

    def without(self, gone: NDArray[np.bool_]) -> _Loops:
        """Leave out the rings of some polygons."""
        if not gone[self.of].any():
            return self
        kept = np.flatnonzero(~gone[self.of])
        start, place = chosen(self.start, kept)
        return _Loops(self.xy[place], self.shift[place], start, self.of[kept])


_NONE = np.empty(0, np.int64)
_NO_LOOPS = _Loops(np.empty((0, 2)), np.empty(0), np.zeros(1, np.int64), _NONE)
_NO_AXES = Axes(np.empty((0, 2)), np.empty(0), np.zeros(1, np.int64), _NONE, np.empty((0, 2), bool), np.empty(0, bool))


@dataclass(frozen=True, eq=False)
class _Followed:
    """What following the outline of one shape gives: of each level closed lines, middle lines, and places that fork.

    ``openings`` are the doors of places that fork, from side to side; ``slim`` are narrow places into which some line
    may not fit.
    """

    lines: list[_Loops]
    middles: list[Axes]
    forks: list[_Loops]
    openings: list[NDArray[np.float64]]
    slim: _Loops
    inner: _Loops
    broken: NDArray[np.bool_]


def narrow_walls(shapes: Regions, levels: Levels, *, thicken: bool) -> tuple[Index, LaidWalls]:
    """Lay the walls inside those shapes, of layers of one thickness, that are narrow somewhere.

    Parameters
    ----------
    shapes : (n,) regions
        mm.
    levels
        What lines are laid.
    thicken
        Whether what is too thin for the narrowest line gets one all the same.

    Returns
    -------
    (m,) int64, walls
        Which shapes those are, and their walls. In the others all lines are as wide as set, and something is left.
    """
    return _narrow_walls(shapes, levels, 0, thicken=thicken)


def _narrow_walls(shapes: Regions, levels: Levels, step: int, *, thicken: bool) -> tuple[Index, LaidWalls]:
    """Lay the walls inside narrow shapes; ``step`` says which spacing of samples is tried first."""
    rings = region.rings(shapes)
    of_item = rings.starts_by_item(len(shapes))
    enough = levels.full(levels.count)
    outlines = [
        measured(rings, int(of_item[k]), int(of_item[k + 1]), SPACINGS[step], enough + MARGIN)
        for k in range(len(shapes))
    ]
    narrow = np.flatnonzero([step > 0 or outline.least < enough for outline in outlines])
    found = [_followed(outlines[k], levels) for k in narrow]
    count = len(narrow)
    strands, lost = [], region.nothing(count)
    for level in range(levels.count + 1):
        widest = levels.pair(level) - 2 * levels.deep(level)
        middle = _middles(found, narrow, rings, len(shapes), levels, level, widest)
        single = lines_along(middle, levels.bounds, widest, level, thicken=thicken and level == 0)
        strands.append(without_dots(single, DOT) if level else single)
    slim = np.array([k for k, one in enumerate(found) if len(one.slim.of)], np.int64)
    if len(slim):
        thin = _regions([found[k].slim for k in slim])
        lost[slim] = unfit(thin, thin, replace(levels.bounds, rounding=0.0))
    inner = _regions([one.inner for one in found])
    made = LaidWalls(*_closed(found, levels), strands_joined(strands), inner, lost, region.nothing(count))
    broken = np.concatenate([one.broken for one in found] or [np.empty(0, np.bool_)])
    TALLY.add(step, int(region.size_in_points(shapes[narrow]).sum()))
    if broken.any():
        parts, owner = region.pieces(shapes[narrow])
        made = _with_others(made, _another_way(parts[broken], levels, step, thicken=thicken), owner[broken])
    return narrow, made


def _another_way(parts: Regions, levels: Levels, step: int, *, thicken: bool) -> LaidWalls:
    """Lay walls in pieces whose doors lead nowhere: from finer samples, at last with lines of one width."""
    if step + 1 < len(SPACINGS):
        return _narrow_walls(parts, levels, step + 1, thicken=thicken)[1]
    TALLY.add(-1, int(region.size_in_points(parts).sum()))
    depth = [levels.deep(k) + levels.filled[k] / 2 for k in range(levels.count)] + [levels.deep(levels.count)]
    rounding = levels.bounds.rounding
    return whole_lines(
        parts,
        np.tile(depth, (len(parts), 1)),
        float(levels.filled[0]) + rounding,
        float(levels.filled[-1]) + rounding,
        np.full(len(parts), levels.filled[0]),
    )


def _followed(outline: Measured, levels: Levels) -> _Followed:
    """Follow the outline of one shape."""
    polygon, most = outline.polygon, outline.most
    where = (outline.net, outline.samples, outline.kind, outline.room)
    broken = np.zeros(int(polygon[-1]) + 1 if len(polygon) else 0, np.bool_)
    slim = _NO_LOOPS
    if outline.least < levels.bounds.narrowest:
        slim = _Loops(*slim_places(*where, polygon, levels.bounds.narrowest, levels.pair(0), 0.0, most))
    lines, middles, forks, openings = [], [], [], []
    for level in range(levels.count + 1):
        deep, low, high = levels.deep(level), levels.least(level), levels.pair(level)
        xy, start, of, free, ring_xy, ring_start, ring_of, opening, bad, door, to = thin_places(
            *where, outline.mate, polygon, low, high, deep, most
        )
        middles.append(Axes(xy[:, :2], xy[:, 2], start, of, free, np.zeros(len(of), np.bool_)))
        openings.append(opening)
        forks.append(_Loops(ring_xy, np.zeros(len(ring_xy)), ring_start, ring_of))
        fill = 0.0 if level == levels.count else float(levels.filled[level])
        full = levels.full(level) - 2 * deep
        *loops, worse = closed_lines(*where[1:], polygon, door, to, high, deep, fill, full)
        lines.append(_Loops(*loops))
        broken |= bad | worse
        if len(lines[-1].of) == 0 and not broken.any():
            break
    while len(lines) <= levels.count:
        lines.append(_NO_LOOPS)
        forks.append(_NO_LOOPS)
        middles.append(_NO_AXES)
        openings.append(np.empty((0, 4)))
    some = [loops.without(broken) for loops in (*lines, *forks, slim)]
    count = len(lines)
    kept = [middle.taken(np.flatnonzero(~broken[middle.item])) for middle in middles]
    return _Followed(some[: count - 1], kept, some[count:-1], openings, some[-1], some[count - 1], broken)


def _middles(
    found: list[_Followed], narrow: Index, rings: Rings, count: int, levels: Levels, level: int, widest: float
) -> Axes:
    """Return all middle lines of a level; those of places that fork from their triangles.

    ``narrow`` says which of the ``count`` regions, whose rings are given, were followed.
    """
    plain = axes_joined(
        [(one.middles[level], np.full(len(one.middles[level].item), k, np.int64)) for k, one in enumerate(found)]
        or [(_NO_AXES, _NONE)]
    )
    forked = np.array([k for k, one in enumerate(found) if len(one.forks[level].of)], np.int64)
    if len(forked) == 0:
        return plain
    thin = region.nothing(count)
    thin[narrow[forked]] = _regions([found[k].forks[level] for k in forked])
    openings = [one.openings[level] for one in found]
    many = np.zeros(count, np.int64)
    many[narrow] = [len(some) for some in openings]
    moved = MovedIn(levels.deep(level), np.concatenate(openings), starts_of(many))
    lines = axes(thin, rings, widest, SPACING, moved)
    return axes_joined([(plain, plain.item), (lines, np.searchsorted(narrow, lines.item))]).by_item()


def _closed(found: list[_Followed], levels: Levels) -> tuple[Rings, NDArray[np.float64], Index]:
    """Return all closed lines, shape by shape, outermost level first: rings, widths and levels."""
    every = [(k, level, loops) for k, one in enumerate(found) for level, loops in enumerate(one.lines)]
    width = [_widths(loops, float(levels.filled[level])) + levels.bounds.rounding for _, level, loops in every]
    item = np.concatenate([np.full(len(loops.of), k, np.int64) for k, _, loops in every] or [np.empty(0, np.int64)])
    level = np.concatenate([np.full(len(loops.of), of, np.int64) for _, of, loops in every] or [item])
    xy, start = _all_points([loops for *_, loops in every])
    return Rings(xy, start, item, np.arange(len(item))), np.concatenate(width or [np.empty(0)]), level


def _all_points(many: list[_Loops]) -> tuple[Points, Index]:
    """Return the points of many rings on the grid, and where each begins."""
    xy = np.concatenate([loops.xy for loops in many] or [np.empty((0, 2))])
    return np.round(xy, 3) + 0.0, joined_starts([loops.start for loops in many])


def _widths(loops: _Loops, filled: float) -> NDArray[np.float64]:
    """Return the plastic width from each point to the next: what two lines share, hardly more than the least."""
    after = np.arange(1, len(loops.shift) + 1)
    after[loops.start[1:] - 1] = loops.start[:-1]
    here, there = loops.shift, loops.shift[after]
    return filled + np.minimum(here + there, 2 * np.minimum(here, there) + STANDS_OUT)


def _regions(many: list[_Loops]) -> Regions:
    """Return the region that each set of rings bounds."""
    xy, start = distinct(*_all_points(many))
    item = np.repeat(np.arange(len(many)), [len(loops.of) for loops in many])
    kept = np.flatnonzero(np.diff(start) > 2)
    start, place = chosen(start, kept)
    ends = np.searchsorted(item[kept], np.arange(len(many) + 1))
    return nested_rings(xy[place], start, np.stack((ends[:-1], ends[1:]), axis=1).astype(np.int64))


def _with_others(made: LaidWalls, other: LaidWalls, owner: Index) -> LaidWalls:
    """Add the walls of single pieces; ``owner`` says of which shape each is."""
    count = len(made.inner)
    both = gathered([made, other], [np.arange(count), count + np.arange(len(owner))])
    item = np.concatenate((np.arange(count), owner))
    of_ring = item[both.rings.item]
    order = np.lexsort((np.arange(len(of_ring)), both.level, of_ring))
    start, place = chosen(both.rings.start, order)
    return LaidWalls(
        Rings(both.rings.xy[place], start, of_ring[order], np.arange(len(order))),
        both.width[place],
        both.level[order],
        strands_joined([replace(both.strands, item=item[both.strands.item])]),
        *(_put_together(cells, item, count) for cells in (both.inner, both.lost, both.left)),
    )


def _put_together(cells: Regions, item: Index, count: int) -> Regions:
    """Put the pieces of the same item together."""
    single, of = region.pieces(cells)
    order = np.argsort(item[of], kind="stable")
    return region.gathered(single[order], item[of][order], count)
