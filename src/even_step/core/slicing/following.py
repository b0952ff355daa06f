"""The outlines of many regions followed level by level: closed lines, middle lines, and places that fork."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.axis import Axes
from even_step.core.plane.ragged import Index, Points, Rings
from even_step.core.slicing.evened import even
from even_step.core.slicing.laid import chosen
from even_step.core.slicing.measured import measured
from even_step.core.slicing.narrow_levels import closed_lines, slim_places, thin_places

Limits: TypeAlias = tuple[float, float, float]

CLOSED, INNER, FORK, SLIM = 0, 1, 2, 3  # what a ring bounds
MARGIN = 0.12  # mm, by which thickness is known beyond what is asked for: more than what hardly bulges


@dataclass(frozen=True, eq=False)
class Loops:
    """Rings of some shapes, by shape and level.

    Attributes
    ----------
    xy, shift : (N, 2), (N,) float64
        Points, and how far each is shifted to share a place that is too narrow for two lines, mm.
    start : (R + 1,) int64
        Where each ring begins.
    shape, level : (R,) int64
        Whose it is, by its number among those that are narrow, and of which level.
    """

    xy: Points
    shift: NDArray[np.float64]
    start: Index
    shape: Index
    level: Index

    def of_level(self, level: int) -> Loops:
        """Return the rings of one level."""
        kept = np.flatnonzero(self.level == level)
        start, place = chosen(self.start, kept)
        return Loops(self.xy[place], self.shift[place], start, self.shape[kept], self.level[kept])


@dataclass(frozen=True, eq=False)
class Followed:
    """What following the outlines of some shapes gives.

    Attributes
    ----------
    narrow : (m,) int64
        Which shapes are narrow somewhere; only they are followed.
    closed, inner, forks, slim
        Closed lines, what is left inside, places that fork, and narrow places into which some line may not fit.
    middles, level
        Middle lines, whose items are numbers of narrow shapes, and the level of each.
    openings : (n, 4) float64
        Doors of places that fork, from side to side, mm; ``opening_shape`` and ``opening_level`` say of which.
    broken : (P,) bool
        Which of all their polygons must go another way; nothing of these is in the other fields.
    """

    narrow: Index
    closed: Loops
    inner: Loops
    forks: Loops
    slim: Loops
    middles: Axes
    level: Index
    openings: NDArray[np.float64]
    opening_shape: Index
    opening_level: Index
    broken: NDArray[np.bool_]

    def middles_of(self, level: int) -> Axes:
        """Return the middle lines of one level."""
        return self.middles.taken(np.flatnonzero(self.level == level))


def follow(rings: Rings, count: int, spacing: float, limits: Limits, levels: NDArray[np.float64]) -> Followed:
    """Follow the outlines of those shapes that are somewhere thinner than the last level needs.

    Parameters
    ----------
    rings, count
        Of ``count`` shapes.
    spacing
        Of the samples in which thickness is measured, mm.
    limits
        Below which thickness no line fits, as far as which it must be known, and from which on a shape is not followed
        where it is nowhere thinner, mm.
    levels : (L + 1, 5) float64
        Of each level, and last of what is left inside: how deep its lines' edge lies, from which thickness on it has
        room, from which there are two lines, their plastic width, and their room where they are as wide as set, mm.
    """
    narrow, loops, middles, openings, broken = _follow(
        rings.xy, rings.start, rings.polygon, rings.starts_by_item(count), spacing, limits, levels
    )
    closed, inner, forks, slim = (Loops(*one) for one in loops)
    xy, radius, start, shape, level, free = middles
    axes = Axes(xy, radius, start, shape, free, np.zeros(len(shape), np.bool_))
    doors, door_shape, door_level = openings
    return Followed(narrow, closed, inner, forks, slim, axes, level, doors, door_shape, door_level, broken)


@kernel
def _follow(xy, start, polygon, of_item, spacing, limits, levels):  # type: ignore[no-untyped-def]
    """Measure and follow shape by shape; lists hold what each gives, tags say of which shape, level and kind."""
    last = levels.shape[0] - 1
    narrowest, known, enough = limits
    most = known + MARGIN
    slightest, one = levels[1, 1] - 2.0 * levels[1, 0], levels[0, 2] - 2.0 * levels[0, 0]
    narrow = np.empty(of_item.shape[0], np.int64)
    rings = [(xy, start, start) for _ in range(0)]
    lines = [(xy, start, start, np.empty((0, 2), np.bool_)) for _ in range(0)]
    doors = [xy for _ in range(0)]
    ring_tags, line_tags = [(0, 0, 0) for _ in range(0)], [(0, 0) for _ in range(0)]
    broken = [np.empty(0, np.bool_) for _ in range(0)]
    for k in range(of_item.shape[0] - 1):
        a, b = of_item[k], of_item[k + 1]
        net, own, samples, kind, room, mate = measured(xy, start[a : b + 1], polygon[a:b], spacing, most)
        least = np.inf
        for thick in samples[3]:
            least = min(least, thick)
        if not least < enough:
            continue
        n = len(broken)
        narrow[n] = k
        bad = np.zeros(own[-1] + 1, np.bool_)
        broken.append(bad)
        if least < narrowest:
            rings.append(slim_places(net, samples, kind, room, own, narrowest, levels[0, 2], 0.0, most))
            ring_tags.append((n, 0, SLIM))
        for level in range(last + 1):
            deep, low, high = levels[level, 0], levels[level, 1], levels[level, 2]
            fill, full = levels[level, 3], levels[level, 4]
            if level < last:
                even(samples[0], samples[2], samples[3], mate, high, levels[level + 1, 1])
            # What is left out is told where it is outermost.
            sizes = (slightest if level == 0 else 0.0, one)
            line, fork, opening, door, to, wrong = thin_places(
                net, samples, kind, room, mate, own, low, high, deep, sizes, most
            )
            lines.append(line)
            doors.append(opening)
            line_tags.append((n, level))
            rings.append(fork)
            ring_tags.append((n, level, FORK))
            loops, worse = closed_lines(samples, kind, room, own, door, to, high, deep, fill, full)
            rings.append(loops)
            ring_tags.append((n, level, CLOSED if level < last else INNER))
            bad |= wrong | worse
            if loops[2].shape[0] == 0 and not bad.any():
                break
    kinds = (
        _rings_joined(rings, ring_tags, broken, CLOSED),
        _rings_joined(rings, ring_tags, broken, INNER),
        _rings_joined(rings, ring_tags, broken, FORK),
        _rings_joined(rings, ring_tags, broken, SLIM),
    )
    openings = _openings_joined(doors, line_tags)
    return narrow[: len(broken)].copy(), kinds, _lines_joined(lines, line_tags, broken), openings, _flags(broken)


@kernel
def _rings_joined(rings, tags, broken, kind):  # type: ignore[no-untyped-def]
    """Put the rings of one kind together, but not those of broken polygons; returns points, shifts, starts, tags."""
    count, size = 0, 0
    for n in range(len(tags)):
        if tags[n][2] == kind:
            count += rings[n][2].shape[0]
            size += rings[n][0].shape[0]
    xy, shift, start = np.empty((size, 2)), np.empty(size), np.zeros(count + 1, np.int64)
    shape, level = np.empty(count, np.int64), np.empty(count, np.int64)
    m, w = 0, 0
    for n in range(len(tags)):
        if tags[n][2] != kind:
            continue
        points, begin, of = rings[n]
        for r in range(of.shape[0]):
            if broken[tags[n][0]][of[r]]:
                continue
            for i in range(begin[r], begin[r + 1]):
                xy[w, 0], xy[w, 1], shift[w] = points[i, 0], points[i, 1], points[i, 2]
                w += 1
            shape[m], level[m] = tags[n][0], tags[n][1]
            m += 1
            start[m] = w
    return xy[:w].copy(), shift[:w].copy(), start[: m + 1].copy(), shape[:m].copy(), level[:m].copy()


@kernel
def _lines_joined(lines, tags, broken):  # type: ignore[no-untyped-def]
    """Put middle lines together, but not those of broken polygons: points, radii, starts, tags, free ends."""
    count, size = 0, 0
    for n in range(len(tags)):
        count += lines[n][2].shape[0]
        size += lines[n][0].shape[0]
    xy, radius, start = np.empty((size, 2)), np.empty(size), np.zeros(count + 1, np.int64)
    shape, level, free = np.empty(count, np.int64), np.empty(count, np.int64), np.empty((count, 2), np.bool_)
    m, w = 0, 0
    for n in range(len(tags)):
        points, begin, of, ends = lines[n]
        for p in range(of.shape[0]):
            if broken[tags[n][0]][of[p]]:
                continue
            for i in range(begin[p], begin[p + 1]):
                xy[w, 0], xy[w, 1], radius[w] = points[i, 0], points[i, 1], points[i, 2]
                w += 1
            shape[m], level[m] = tags[n][0], tags[n][1]
            free[m, 0], free[m, 1] = ends[p, 0], ends[p, 1]
            m += 1
            start[m] = w
    return xy[:w].copy(), radius[:w].copy(), start[: m + 1].copy(), shape[:m].copy(), level[:m].copy(), free[:m].copy()


@kernel
def _openings_joined(openings, tags):  # type: ignore[no-untyped-def]
    """Put openings together: from side to side, shapes, levels."""
    count = 0
    for one in openings:
        count += one.shape[0]
    out, shape, level = np.empty((count, 4)), np.empty(count, np.int64), np.empty(count, np.int64)
    w = 0
    for n in range(len(tags)):
        for k in range(openings[n].shape[0]):
            out[w], shape[w], level[w] = openings[n][k], tags[n][0], tags[n][1]
            w += 1
    return out, shape, level


@kernel
def _flags(many):  # type: ignore[no-untyped-def]
    """Put flags one after the other."""
    count = 0
    for one in many:
        count += one.shape[0]
    out = np.empty(count, np.bool_)
    w = 0
    for one in many:
        out[w : w + one.shape[0]] = one
        w += one.shape[0]
    return out
