"""Stage 4 where it is narrow: lines whose width follows the room they have.

The rule, level by level from the outline inward, for the thickness ``t`` of what is left (in plastic widths; Kuipers
et al., "A framework for adaptive width control of dense contour-parallel toolpaths in fused deposition modeling",
2020, with all lines but the middle ones as wide as set):

- two full lines and at least the narrowest fit: a line as wide as set along each side, and on with what is left;
- less, but more than one line should fill: two lines, half of the thickness each, or one where two would be dots;
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
from even_step.core.plane.cut import reached
from even_step.core.plane.nest import nested_rings
from even_step.core.plane.ragged import Index, Rings, distinct, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.following import Followed, Loops, follow
from even_step.core.slicing.laid import (
    DOT,
    STANDS_OUT,
    LaidWalls,
    Strands,
    chosen,
    gathered,
    strands_joined,
    without_dots,
)
from even_step.core.slicing.middles import set_back
from even_step.core.slicing.singles import ON_GRID, SPACING, Bounds, lines_along
from even_step.core.slicing.whole_lines import unfit, whole_lines

#: Millimetres between samples, and how wide lines are of what is set; where these do not tell enough, the next.
#: Room that is just at a threshold all along a bent wall is followed with lines a little narrower or wider.
TRIES = ((0.25, 1.0), (0.16, 1.0), (0.1, 1.0), (0.16, 0.97), (0.16, 1.03), (0.16, 0.94))


class Tally:
    """How many points of outlines were followed at each try, and at last not at all; the bench reads it.

    And how many of lines in narrow places are closed, middle lines from circles, and from the triangles of places that
    fork.
    """

    def __init__(self) -> None:
        self.points = [0] * (len(TRIES) + 1)
        self.lines = [0, 0, 0]
        self._lock = Lock()

    def add(self, step: int, points: int) -> None:
        """Count points; the last step is that they are not followed."""
        with self._lock:
            self.points[step] += points

    def add_lines(self, *points: int) -> None:
        """Count points of closed lines, of middle lines from circles, and of those from triangles."""
        with self._lock:
            self.lines = [old + new for old, new in zip(self.lines, points, strict=True)]

    def shares_of_forks(self) -> tuple[float, float]:
        """Return the share of places that fork in the points of middle lines, and in those of all lines."""
        forks, middles = self.lines[2], sum(self.lines[1:])
        return forks / max(middles, 1), forks / max(sum(self.lines), 1)

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

    def scaled(self, share: float) -> Levels:
        """Return the levels with lines wider or narrower by a share."""
        return self if share == 1.0 else replace(self, filled=self.filled * share)

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

    def limits(self, level: int) -> tuple[float, float]:
        """Return from which thickness on two lines are laid in narrow places of a level, and as much as counts, mm.

        Past the last level; in others there are closed lines where there is room for two, but for spots.
        """
        if level < self.count:
            return self.bounds.most(), self.bounds.most()
        return self.bounds.pair_above(), self.full(level) - 2 * self.deep(level)

    def table(self) -> NDArray[np.float64]:
        """Return all that lines of each level, and what is left inside, are followed by, as ``follow`` takes it."""
        rows = []
        for level in range(self.count + 1):
            deep, fill = self.deep(level), float(self.filled[level]) if level < self.count else 0.0
            rows.append((deep, self.least(level), self.pair(level), fill, self.full(level) - 2 * deep))
        return np.array(rows)


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
    """Lay the walls inside narrow shapes; ``step`` says what is tried first."""
    asked, (spacing, share) = levels, TRIES[step]
    levels = asked.scaled(share)
    rings, known = region.rings(shapes), levels.full(levels.count)
    limits = float(levels.bounds.narrowest), known, np.inf if step else known
    found = follow(rings, len(shapes), spacing, limits, levels.table())
    narrow, count = found.narrow, len(found.narrow)
    strands: list[Strands] = []
    for level in range(levels.count + 1):
        middle = _middles(found, rings, len(shapes), levels, level)
        single = lines_along(middle, levels.bounds, levels.limits(level), level, thicken=thicken and level == 0)
        strands.append(without_dots(single, DOT) if level else single)
    inner, lost = _regions(found.inner, count), _lost(found, strands[0], levels.bounds)
    made = LaidWalls(*_closed(found.closed, levels), strands_joined(strands), inner, lost, region.nothing(count))
    TALLY.add(step, int(region.size_in_points(shapes[narrow]).sum()))
    TALLY.add_lines(len(found.closed.xy), 0, 0)
    if found.broken.any():
        parts, owner = region.pieces(shapes[narrow])
        other = _another_way(parts[found.broken], asked, step, thicken=thicken)
        made = _with_others(made, other, owner[found.broken])
    return narrow, made


def _lost(found: Followed, single: Strands, bounds: Bounds) -> Regions:
    """Return what of each shape is too thin for any line; ``single`` are the outermost lines along middles."""
    lost = region.nothing(len(found.narrow))
    slim = np.unique(found.slim.shape)
    if len(slim):
        thin = _regions(found.slim, len(lost))[slim]
        lost[slim] = unfit(thin, thin, replace(bounds, rounding=0.0))
    forks = found.forks.of_level(0)
    some = np.unique(forks.shape)
    if len(some):
        parts, owner = region.pieces(_regions(forks, len(lost)))
        bare = ~reached(parts, owner, single.xy, single.start, single.item)
        lost[some] = region.union(lost[some], region.gathered(parts[bare], owner[bare], len(lost))[some])
    return lost


def _another_way(parts: Regions, levels: Levels, step: int, *, thicken: bool) -> LaidWalls:
    """Lay walls in pieces whose doors lead nowhere: from finer samples, a little narrower, at last of one width."""
    if step + 1 < len(TRIES):
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


def _middles(found: Followed, rings: Rings, count: int, levels: Levels, level: int) -> Axes:
    """Return all middle lines of a level; those of places that fork, in ``count`` shapes, from their triangles."""
    plain, forks, narrow = found.middles_of(level), found.forks.of_level(level), found.narrow
    if len(forks.shape) == 0:
        TALLY.add_lines(0, len(plain.xy), 0)
        return plain
    thin = region.nothing(count)
    thin[narrow] = _regions(forks, len(narrow))
    some = np.flatnonzero(found.opening_level == level)
    many = np.bincount(narrow[found.opening_shape[some]], minlength=count)
    half = levels.pair(level) / 2 - levels.deep(level)
    back = set_back(half, levels.bounds.pair_above())
    moved = MovedIn(levels.deep(level), found.openings[some], starts_of(many), half, back)
    lines = axes(thin, rings, levels.limits(level)[1], SPACING, moved)
    TALLY.add_lines(0, len(plain.xy), len(lines.xy))
    return axes_joined([(plain, plain.item), (lines, np.searchsorted(narrow, lines.item))]).by_item()


def _closed(loops: Loops, levels: Levels) -> tuple[Rings, NDArray[np.float64], Index]:
    """Return all closed lines, shape by shape, outermost level first: rings, widths and levels."""
    filled = np.repeat(levels.filled[loops.level], np.diff(loops.start))
    rings = Rings(np.round(loops.xy, 3) + 0.0, loops.start, loops.shape, np.arange(len(loops.shape)))
    return rings, _widths(loops, filled) + levels.bounds.rounding, loops.level


def _widths(loops: Loops, filled: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the plastic width from each point to the next: what two lines share, hardly more than the least."""
    after = np.arange(1, len(loops.shift) + 1)
    after[loops.start[1:] - 1] = loops.start[:-1]
    here, there = loops.shift, loops.shift[after]
    return np.asarray(filled + np.minimum(here + there, 2 * np.minimum(here, there) + STANDS_OUT - ON_GRID))


def _regions(loops: Loops, count: int) -> Regions:
    """Return the region that the rings of each of ``count`` shapes bound."""
    xy, start = distinct(np.round(loops.xy, 3) + 0.0, loops.start)
    kept = np.flatnonzero(np.diff(start) > 2)
    start, place = chosen(start, kept)
    ends = np.searchsorted(loops.shape[kept], np.arange(count + 1))
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
