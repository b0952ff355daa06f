"""Single lines along the middle of narrow places, as wide as the room they have."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.axis import Axes, axes
from even_step.core.plane.bead import section_rounding
from even_step.core.plane.ragged import Rings
from even_step.core.plane.region import Regions
from even_step.core.slicing.evened import HARDLY, SHORT
from even_step.core.slicing.laid import STANDS_OUT, Strands
from even_step.core.slicing.middles import shortened

NARROWEST, WIDEST = 0.6, 1.8  # bores; between them a line's width may follow the room it has
TWO_RATHER, OF_WIDTH = 1.6, 1.2  # bores, and times as wide as lines are set: from either on two lines are laid
SPACING = 0.25  # mm between points where the width may change
SPOT, END_SPOT = 1.5, 1.35  # times as wide as one line, where it goes on to both sides or to one
SAME = 1e-4  # mm, points no farther apart are one
SHORTEST = 0.04  # mm, shorter lines hold nothing
AHEAD = 1.25  # radii of a single line: so far beyond its end two begin, and its round end fills what is between them
ON_GRID = 0.004  # mm, by which two sides may lie off once points are put on their grid and lines led straight
STEP = 0.2  # share of its width by which a line gets wider at once
PARTS = int((WIDEST / NARROWEST - 1) / STEP) + 1  # of a stretch, at the most
MOST_BEND = 0.012  # mm, how far simplified middle lines may lie off,
EXACT_BEND = 0.003  # and those that are exact


@dataclass(frozen=True)
class Bounds:
    """Narrowest and widest line as drawn, from when on two are rather laid, what rounding takes off a width, mm."""

    narrowest: float
    two: float
    widest: float
    rounding: float

    @classmethod
    def of(cls, bore: float, height: float, *widths: float) -> Bounds:
        """Return between which widths lines may vary in a layer; none is lower than it is wide."""
        least = max(min(NARROWEST * bore, *widths), height)
        most = max(WIDEST * bore, least, *widths)
        two = min(max(TWO_RATHER * bore, OF_WIDTH * max(least, *widths)), most)
        return cls(least, two, most, float(section_rounding(height)))

    def pair_above(self) -> float:
        """Thickness from which two lines are laid instead of one."""
        return self.two - self.rounding

    def most(self) -> float:
        """Thickness that the widest line fills."""
        return self.widest - self.rounding

    def full_above(self, filled: float) -> float:
        """Thickness from which two full lines leave room for a further one."""
        return 2 * filled + self.narrowest - self.rounding


def singles(thin: Regions, walls: Rings, bounds: Bounds, widest: float, level: int, *, thicken: bool) -> Strands:
    """Lay lines along the middle of narrow places: one, or two where the thickness is too much for one."""
    return lines_along(axes(thin, walls, widest, SPACING), bounds, (widest, widest), level, thicken=thicken)


def lines_along(middle: Axes, bounds: Bounds, limits: tuple[float, float], level: int, *, thicken: bool) -> Strands:
    """Lay lines along middle lines: one, or two where the thickness is too much for one.

    ``limits`` are the thickness from which there are two, and as much of it as counts at the most.
    """
    thick = np.clip(2 * middle.radius, 0.0, limits[1])
    least = 0.0 if thicken else bounds.narrowest - bounds.rounding
    table = np.array([least, bounds.narrowest, bounds.widest, bounds.rounding, limits[0]])
    xy, width, start, origin = _laid(middle.xy, thick, middle.start, middle.free, middle.rough, table)
    item = middle.item[origin]
    return Strands(np.round(xy, 3) + 0.0, width, start, item, np.full(len(item), level, np.int64), np.zeros(len(item)))


@kernel
def _laid(xy, thick, start, free, rough, limits):  # type: ignore[no-untyped-def]
    """Turn middle lines into lines where they are thick enough; returns points, widths, starts and origins."""
    least, pair, ahead = limits[0], limits[4], AHEAD * 0.5 * (limits[4] + limits[3])
    share = min(pair, max(pair - HARDLY, 2.0 * (limits[1] - limits[3])))  # so much two lines need at the least
    # Points at a change belong to both sides, and where there are two lines each has its own.
    room = 4 * xy.shape[0] + 4
    out, wide = np.empty((PARTS * room, 2)), np.empty(PARTS * room)
    starts, origin = np.zeros(room, np.int64), np.empty(room, np.int64)
    two = np.zeros(xy.shape[0], np.bool_)
    made = 0
    for p in range(start.shape[0] - 1):
        begin, end = start[p], start[p + 1]
        first = begin
        while first < end:
            if thick[first] < least:
                first += 1
                continue
            last = first
            long = 0.0
            while last + 1 < end and thick[last + 1] >= least:
                last += 1
                long += np.hypot(xy[last, 0] - xy[last - 1, 0], xy[last, 1] - xy[last - 1, 1])
            if last > first and long >= SHORTEST:
                free_first, free_last = free[p, 0] and first == begin, free[p, 1] and last == end - 1
                _no_spots(xy, thick, two, first, last, pair, ahead)
                _change(xy, thick, two, first, last, share)
                a = first
                while a < last:
                    double = two[a]
                    b = a
                    while b <= last and two[b] == double:
                        b += 1
                    b = min(b, last)  # the first of the next kind, so that no gap opens
                    line = _stretch(xy, thick, a, b + 1)
                    if double:
                        before, after = ahead if a > first else 0.0, ahead if b < last else 0.0
                        head, tail = shortened(line, 0, line.shape[0], before, after, SHORTEST)
                        made = _side_by_side(
                            line[head:tail, :2].copy(),
                            np.maximum(line[head:tail, 2], share),
                            free_first and a == first,
                            free_last and b == last,
                            rough[p],
                            limits,
                            out,
                            wide,
                            starts,
                            made,
                        )
                        origin[made - 2] = origin[made - 1] = p
                    else:
                        some = np.minimum(np.maximum(line[:, 2] + limits[3], limits[1]), limits[2])
                        made = _put(line[:, :2].copy(), some, rough[p], out, wide, starts, made)
                        origin[made - 1] = p
                    a = b
            first = last + 1
    size = starts[made]
    return out[:size].copy(), wide[:size].copy(), starts[: made + 1].copy(), origin[:made].copy()


@kernel
def _stretch(xy, thick, first, last):  # type: ignore[no-untyped-def]
    """Return points with their thickness, none twice in a row, nor a step back: there is no way to lie beside of."""
    line = np.empty((last - first, 3))
    n = 0
    for k in range(first, last):
        if n > 1 and k == last - 1 and _is_at(line, n - 1, xy, k):
            n -= 1
        if n == 0 or k == last - 1 or not (_is_at(line, n - 1, xy, k) or _is_back(line, n - 1, xy, k)):
            line[n, 0], line[n, 1], line[n, 2] = xy[k, 0], xy[k, 1], thick[k]
            n += 1
    return line[:n].copy()


@kernel
def _is_at(line, i, xy, k):  # type: ignore[no-untyped-def]
    return abs(line[i, 0] - xy[k, 0]) + abs(line[i, 1] - xy[k, 1]) < SAME


@kernel
def _is_back(line, i, xy, k):  # type: ignore[no-untyped-def]
    """Whether a point lies behind the last one of a line, within the circle there: circles may find it in turn."""
    if i == 0:
        return False
    dx, dy = xy[k, 0] - line[i, 0], xy[k, 1] - line[i, 1]
    ahead = dx * (line[i, 0] - line[i - 1, 0]) + dy * (line[i, 1] - line[i - 1, 1])
    return ahead < 0.0 and np.hypot(dx, dy) < 0.5 * line[i, 2]


@kernel
def _no_spots(xy, thick, two, first, last, pair, ahead):  # type: ignore[no-untyped-def]
    """Say where it is wider than one line should be, but no longer than wide, and one is laid: two would be two dots.

    So it is at an end where two would be no longer than they begin ``ahead`` of where one ends.
    """
    a = first
    while a <= last:
        if thick[a] <= pair:
            a += 1
            continue
        b, long, most = a, 0.0, thick[a]
        while b < last and thick[b + 1] > pair:
            b += 1
            long += np.hypot(xy[b, 0] - xy[b - 1, 0], xy[b, 1] - xy[b - 1, 1])
            most = max(most, thick[b])
        within = a > first and b < last
        limit = SPOT if within else END_SPOT if a > first or b < last else 0.0
        spot = long < most < limit * pair or (limit > 0.0 and not within and long < ahead + SHORTEST)
        two[a : b + 1] = not spot
        a = b + 1


@kernel
def _change(xy, thick, two, first, last, share):  # type: ignore[no-untyped-def]
    """Let two lines go on where they have but ``share`` on a short way.

    Each change between one line and two leaves void, or lies twice.
    """
    a = first
    while a <= last:
        if two[a]:
            a += 1
            continue
        b, long, least = a, 0.0, thick[a]
        while b < last and not two[b + 1]:
            b += 1
            long += np.hypot(xy[b, 0] - xy[b - 1, 0], xy[b, 1] - xy[b - 1, 1])
            least = min(least, thick[b])
        if first < a and b < last and least >= share and long <= SHORT:
            two[a : b + 1] = True
        a = b + 1


@kernel
def _side_by_side(line, thick, free_first, free_last, rough, limits, out, wide, starts, made):  # type: ignore[no-untyped-def]
    """Lay two lines, each a quarter of the thickness beside the middle."""
    count = line.shape[0]
    along = np.empty((count, 2))
    for i in range(count):
        a, b = max(i - 1, 0), min(i + 1, count - 1)
        dx, dy = line[b, 0] - line[a, 0], line[b, 1] - line[a, 1]
        size = max(np.hypot(dx, dy), 1e-12)
        along[i, 0], along[i, 1] = dx / size, dy / size
    # The middle line ends half a thickness from the end of the place, each of two lines need only a quarter.
    if free_first:
        line[0] -= along[0] * thick[0] / 4.0
    if free_last:
        line[count - 1] += along[count - 1] * thick[count - 1] / 4.0
    left, right = np.empty((count, 2)), np.empty((count, 2))
    for i in range(count):
        x, y = -along[i, 1] * thick[i] / 4.0, along[i, 0] * thick[i] / 4.0
        left[i, 0], left[i, 1] = line[i, 0] + x, line[i, 1] + y
        j = count - 1 - i
        right[j, 0], right[j, 1] = line[i, 0] - x, line[i, 1] - y
    made = _put(left, thick / 2.0 + limits[3], rough, out, wide, starts, made)
    return _put(right, thick[::-1] / 2.0 + limits[3], rough, out, wide, starts, made)


@kernel
def _put(line, width, rough, out, wide, starts, made):  # type: ignore[no-untyped-def]
    """Smooth a rough line and its widths a little, drop points it does not need, give each stretch its mean width."""
    count = line.shape[0]
    soft, softer = line.copy(), width.copy()
    if rough and count > 3:
        for i in range(1, count - 1):
            soft[i] = (line[i - 1] + 2.0 * line[i] + line[i + 1]) / 4.0
            softer[i] = (width[i - 1] + 2.0 * width[i] + width[i + 1]) / 4.0
        if line[0, 0] == line[count - 1, 0] and line[0, 1] == line[count - 1, 1]:
            soft[0] = soft[count - 1] = (line[count - 2] + 2.0 * line[0] + line[1]) / 4.0
    keep = np.zeros(count, np.bool_)
    _needed(soft, softer, MOST_BEND if rough else EXACT_BEND, keep)
    w = starts[made]
    before = -1
    for i in range(count):
        if keep[i]:
            out[w], wide[w] = soft[i], softer[i]
            if before >= 0:
                w = _in_steps(soft[before], softer[before : i + 1], out, wide, w)
            before = i
            w += 1
    starts[made + 1] = w
    return made + 1


@kernel
def _in_steps(begin, width, out, wide, w):  # type: ignore[no-untyped-def]
    """Say how wide a stretch is from ``begin`` to point ``w``, in parts where its width changes fast; returns its end.

    Where the width changes fast each keeps to its narrower end, lest its edge stand out.
    """
    first, last, narrower = width[0], width[-1], width.min()
    parts = min(1 + int(abs(last - first) / (STEP * narrower)), PARTS)
    end_x, end_y = out[w, 0], out[w, 1]
    for k in range(parts):
        a, b = first + (last - first) * k / parts, first + (last - first) * (k + 1) / parts
        lower = narrower if parts == 1 else min(a, b)
        wide[w + k - 1] = min((a + b) / 2.0, lower + STANDS_OUT - ON_GRID)
        share = (k + 1) / parts
        out[w + k, 0] = begin[0] + (end_x - begin[0]) * share
        out[w + k, 1] = begin[1] + (end_y - begin[1]) * share
        wide[w + k] = b
    return w + parts - 1


@kernel
def _needed(line, width, bend, keep):  # type: ignore[no-untyped-def]
    """Mark the points a line needs: it bends there, or its width has changed by a step."""
    count = line.shape[0]
    keep[0] = keep[count - 1] = True
    at = 0
    while at < count - 1:
        best = at + 1
        for j in range(at + 2, count):
            ux, uy = line[j, 0] - line[at, 0], line[j, 1] - line[at, 1]
            long = np.sqrt(ux * ux + uy * uy)
            if long == 0.0 or abs(width[j] - width[at]) > 0.02:
                break
            straight = True
            for i in range(at + 1, j):
                px, py = line[i, 0] - line[at, 0], line[i, 1] - line[at, 1]
                if abs(px * uy - py * ux) > bend * long:
                    straight = False
                    break
            if not straight:
                break
            best = j
        keep[best] = True
        at = best
    return 0
