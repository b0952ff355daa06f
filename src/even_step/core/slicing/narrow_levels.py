"""All lines of a region level by level, from how thick it is along its outline, without moving the outline."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.balls import NEVER
from even_step.core.plane.trace import is_inside, ring_area
from even_step.core.slicing.doors import MARK, SAME, by_ring, doors, inward, upper_doors
from even_step.core.slicing.evened import HARDLY
from even_step.core.slicing.middles import LEAST_LONG, MOST_PIECES, members, middle, middle_of_two
from even_step.core.slicing.stars import star
from even_step.core.slicing.tracks import in_steps, tracks

LEAST_AREA = 0.02  # mm², less of a narrow place is a corner's tip
MEETING = 2.1  # times as thick as two lines need: as large a spot is where walls of one line meet
SPOT = 1.3  # times the square of its thickness: the area of no more than a spot
ABOUT = 1.1  # times as large as the place is what a line fills that runs all along it
SLIM = 0.1  # mm to either side: as much a place has at a line's end, though it narrows there
TIP_AREA = 0.04  # mm², less of what is too thin for a line lies within the line's rounding


@kernel
def _loops(door, to, starts, origin, at):  # type: ignore[no-untyped-def]
    """Return the samples round each loop, where they begin, where each sample is, and in which loop."""
    of_ring = by_ring(door, starts.shape[0] - 1)
    seq = np.empty(at.shape[0] + door.shape[0] + 1, np.int64)
    begin = np.zeros(origin.shape[0] + 1, np.int64)
    pos = np.full(at.shape[0], -1, np.int64)
    loop = np.full(at.shape[0], -1, np.int64)
    for k in range(origin.shape[0]):
        n = members(door, to, starts, of_ring, origin[k], seq[begin[k] :])
        begin[k + 1] = begin[k] + n
        for m in range(n):
            i = seq[begin[k] + m]
            if i >= 0:
                pos[i], loop[i] = m, k
    return seq, begin, pos, loop


@kernel
def _faced(seq, begin, loop, mate):  # type: ignore[no-untyped-def]
    """Return for each loop the other one it faces: −1 for none, −2 for several; and what each of its samples faces.

    A few samples of a place may look past it, through a door: they face nothing.
    """
    count = begin.shape[0] - 1
    other = np.full(count, -1, np.int64)
    facing = mate.copy()
    for k in range(count):
        within, beyond = 0, 0
        for m in range(begin[k], begin[k + 1]):
            to = loop[mate[seq[m]]] if seq[m] >= 0 and mate[seq[m]] >= 0 else -1
            within += to == k
            beyond += to >= 0 and to != k
            if to >= 0 and to != k:
                other[k] = to if other[k] in (-1, to) else -2
        if beyond > within:
            continue
        other[k] = -1
        for i in seq[begin[k] : begin[k + 1]]:
            if i >= 0 and mate[i] >= 0 and loop[mate[i]] != k:
                facing[i] = -1
    return other, facing


@kernel
def _is_tip(seq, door, thick, high):  # type: ignore[no-untyped-def]
    """Tell what a small place is: 1 the tip of a corner, or hardly thinner than what is beside it; 2 a crumb; 0 more.

    A neck has two doors to what is thicker; what leads to less of that is a crumb.
    """
    ends = upper = 0
    least = high
    for i in seq:
        if i < 0:
            ends += 1
            upper += abs(door[-1 - i, MARK]) == 2.0
        else:
            least = min(least, thick[i])
    if upper == ends and ends > 0 and (ends == 1 or least > high - HARDLY):
        return 1
    return 2 if upper < 2 else 0


@kernel
def _drop_small(xy, start, other, seq, begin, door, to, thick, real, high):  # type: ignore[no-untyped-def]
    """Take the tips of corners for as thick as what is beside them.

    Returns which places are left, and which doors are none any more.
    """
    kept = np.ones(start.shape[0] - 1, np.bool_)
    gone = np.zeros(door.shape[0], np.bool_)
    for k in range(start.shape[0] - 1):
        if other[k] != -1 or abs(ring_area(xy, start[k], start[k + 1])) >= LEAST_AREA:
            continue
        own = seq[begin[k] : begin[k + 1]]
        what = _is_tip(own, door, thick, high)
        kept[k] = what == 0
        if what == 1:
            for i in own:
                if i >= 0:
                    thick[i] = real[i] = high
                else:
                    gone[-1 - i] = gone[to[-1 - i]] = True
    return kept, gone


@kernel
def _areas_at_doors(xy, start, seq, begin, count):  # type: ignore[no-untyped-def]
    """Return for each door how large the place is whose outline it ends, mm²."""
    out = np.zeros(count)
    for k in range(start.shape[0] - 1):
        area = abs(ring_area(xy, start[k], start[k + 1]))
        for i in seq[begin[k] : begin[k + 1]]:
            if i < 0:
                out[-1 - i] = area
    return out


@kernel
def _narrow_spots(samples, kind, room, polygon, door, to, beyond, high, deep):  # type: ignore[no-untyped-def]
    """Take spots for thinner than ``high`` that no closed line has room in: where thin places meet, or hardly bulge.

    ``beyond`` is how large the thin place at each door is. Returns whether there are any.
    """
    starts, thick = samples[2], samples[3]
    upper, on = upper_doors(door, to, np.zeros(door.shape[0], np.bool_))
    if upper.shape[0] == 0:
        return False
    number = np.flatnonzero(np.abs(door[:, MARK]) == 2.0)
    xy, start, of, origin, broken = tracks(samples, kind, room, polygon, upper, on, high, NEVER, deep, 0.0, 0.0)
    of_ring = by_ring(upper, starts.shape[0] - 1)
    seq = np.empty(thick.shape[0] + upper.shape[0] + 1, np.int64)
    least = high - 2.0 * deep
    found = False
    for k in range(of.shape[0]):
        if origin[k] < 0 or broken[of[k]]:
            continue
        own = seq[: members(upper, on, starts, of_ring, origin[k], seq)]
        most = 0.0
        for i in own:
            if i >= 0:
                most = max(most, thick[i] - 2.0 * deep)
        if abs(ring_area(xy, start[k], start[k + 1])) > SPOT * most * most:
            continue
        arms = 0
        for i in own:
            if i < 0:
                d = number[-1 - i]
                arms += max(beyond[d], beyond[to[d]]) > most * most
        if most < (MEETING * least if arms > 2 else least + HARDLY):
            found = True
            for i in own:
                if i >= 0:
                    thick[i] = high - SAME
    return found


@kernel
def thin_places(net, samples, kind, room, mate, polygon, low, high, deep, sizes, most):  # type: ignore[no-untyped-def]
    """Find where a region, moved in by ``deep``, is thicker than ``low`` and thinner than ``high``.

    ``sizes`` are how thick a place is at the least that gets a line, and how thick one line may be. Returns middle
    lines of the places that do not fork, or are spots (points with how far the outline is, where each begins, its
    polygon, whether its ends are ends of the place), the outlines of the others as ``closed_lines`` does, the doors in
    them, the doors to where it is thicker, and the polygons that must go another way. What is too small counts as thick
    from here on.
    """
    at, starts, thick = samples[0], samples[2], samples[3]
    least, one = sizes
    for turn in range(2):
        door, to = doors(net, samples, polygon, low, high, deep, most)
        xy, start, of, origin, broken = tracks(samples, kind, room, polygon, door, to, low, high, deep, 0.0, 0.0)
        seq, begin, pos, loop = _loops(door, to, starts, origin, at)
        beyond = _areas_at_doors(xy, start, seq, begin, door.shape[0])
        if turn == 1 or not _narrow_spots(samples, kind, room, polygon, door, to, beyond, high, deep):
            break
    other, mate = _faced(seq, begin, loop, mate)
    kept, gone = _drop_small(xy, start, other, seq, begin, door, to, thick, samples[6], high)
    balls = (thick, samples[4], mate, samples[5], samples[1], at)
    count = kept.shape[0]
    lines = np.empty(((MOST_PIECES + 2) * begin[count] + 64 * count + 64, 4))
    most_lines = count + door.shape[0]
    line_start = np.zeros(most_lines + 1, np.int64)
    line_of = np.empty(most_lines, np.int64)
    free = np.zeros((most_lines, 2), np.bool_)
    n = 0
    half = 0.5 * high - deep
    left = np.zeros(count, np.bool_)
    done = np.zeros(count, np.bool_)
    for k in range(count):
        if not kept[k] or done[k] or broken[of[k]]:
            continue
        own = seq[begin[k] : begin[k + 1]]
        w = -1
        o = other[k]
        area = ring_area(xy, start[k], start[k + 1])
        if o == -1:
            w = middle(own, pos, balls, door, net, deep, high, one, lines, line_start[n], free[n])
        elif o > k and kept[o] and other[o] == k and origin[k] < 0 and origin[o] < 0:
            free[n] = False
            both = np.concatenate((own, seq[begin[o] : begin[o + 1]]))
            pos[both[own.shape[0] :]] += own.shape[0]
            w = middle_of_two(both, own.shape[0], pos, balls, net, deep, high, lines, line_start[n])
            pos[both[own.shape[0] :]] -= own.shape[0]
            area += ring_area(xy, start[o], start[o + 1])
        made = n + 1
        line_start[made] = max(w, line_start[n])
        fits = (
            w > 0
            and _fills(lines, line_start, n, made, free, abs(area), half)
            and _holds(lines, line_start[n], w, least)
            and (o >= 0 or _lie_in(lines, line_start[n], w, xy, start[k], start[k + 1]))
        )
        if fits and o >= 0:
            done[o] = True
        elif not fits and o == -1:
            made = star(own, pos, balls, door, net, deep, high, one, lines, line_start, n, free)
            fits = made >= n and _fills(lines, line_start, n, made, free, abs(area), half)
            fits = fits and _lie_in(lines, line_start[n], line_start[made], xy, start[k], start[k + 1])
        left[k] = not fits
        if fits:
            line_of[n:made] = of[k]
            n = made
    upper, on = upper_doors(door, to, gone)
    return (
        (lines[: line_start[n]].copy(), line_start[: n + 1].copy(), line_of[:n].copy(), free[:n].copy()),
        _chosen(xy, start, of, left),
        _openings(seq, begin, left, door, to, deep),
        upper,
        on,
        broken,
    )


@kernel
def _fills(lines, starts, n, made, free, area, half):  # type: ignore[no-untyped-def]
    """Tell whether lines ``n`` to ``made`` fill about so large a place, none more than ``half`` mm to either side.

    Those that do not were led astray by rough walls: past an arm of the place, or along it twice. Beyond an end lies as
    much as its own round end does not reach, or at a door the line that turns there.
    """
    filled = beyond = 0.0
    for m in range(n, made):
        a, b = starts[m], starts[m + 1] - 1
        for k in range(a + 1, b + 1):
            long = np.hypot(lines[k, 0] - lines[k - 1, 0], lines[k, 1] - lines[k - 1, 1])
            filled += long * (lines[k, 2] + lines[k - 1, 2])
        for side in range(2):
            end = max(lines[b if side else a, 2], SLIM)
            beyond += 2.0 * end * (end if free[m, side] else half)
    beyond = beyond if made > n else 2.0 * half * half
    return filled < ABOUT * area + beyond and area < ABOUT * filled + beyond


@kernel
def _lie_in(lines, first, last, xy, begin, end):  # type: ignore[no-untyped-def]
    """Tell whether most points of lines lie in a place; the circles of a small one may be beyond its doors."""
    within = 0
    for k in range(first, last):
        within += is_inside(lines[k, 0], lines[k, 1], xy, begin, end)
    return 2 * within >= last - first


@kernel
def _holds(lines, first, last, least):  # type: ignore[no-untyped-def]
    """Tell whether a line would be laid along a middle line, where the place is so thick at the least."""
    long = 0.0
    for k in range(first + 1, last):
        if 2.0 * min(lines[k - 1, 2], lines[k, 2]) < least:
            long = 0.0
            continue
        long += np.hypot(lines[k, 0] - lines[k - 1, 0], lines[k, 1] - lines[k - 1, 1])
        if long >= LEAST_LONG:
            return True
    return False


@kernel
def _openings(seq, begin, which, door, to, deep):  # type: ignore[no-untyped-def]
    """Return the doors of some places from side to side, (n, 4)."""
    out = np.empty((door.shape[0], 4))
    n = 0
    for k in range(which.shape[0]):
        if not which[k]:
            continue
        for i in seq[begin[k] : begin[k + 1]]:
            if i < 0:
                out[n, 0], out[n, 1] = inward(door, -1 - i, deep)
                out[n, 2], out[n, 3] = inward(door, to[-1 - i], deep)
                n += 1
    return out[:n].copy()


@kernel
def _chosen(xy, start, of, which):  # type: ignore[no-untyped-def]
    """Return some rings: points with shifts of none, where each begins, and its polygon."""
    out = np.zeros((xy.shape[0], 3))
    begin = np.zeros(of.shape[0] + 1, np.int64)
    owner = np.empty(of.shape[0], np.int64)
    n = 0
    w = 0
    for k in range(of.shape[0]):
        if which[k]:
            for i in range(start[k], start[k + 1]):
                out[w, 0], out[w, 1] = xy[i, 0], xy[i, 1]
                w += 1
            owner[n] = of[k]
            n += 1
            begin[n] = w
    return out[:w].copy(), begin[: n + 1].copy(), owner[:n].copy()


@kernel
def slim_places(net, samples, kind, room, polygon, least, high, deep, most):  # type: ignore[no-untyped-def]
    """Return the outlines of what is thinner than ``high`` where more than a corner's tip is thinner than ``least``.

    As ``closed_lines`` does: points with shifts of none, where rings begin, their polygons.
    """
    door, to = doors(net, samples, polygon, 0.0, least, deep, most)
    xy, start, of, _, _ = tracks(samples, kind, room, polygon, door, to, 0.0, least, deep, 0.0, 0.0)
    slim = False
    for k in range(of.shape[0]):
        slim = slim or abs(ring_area(xy, start[k], start[k + 1])) >= TIP_AREA
    if not slim:
        return xy[:0].copy(), start[:1].copy(), of[:0].copy()
    door, to = doors(net, samples, polygon, 0.0, high, deep, most)
    xy, start, of, _, _ = tracks(samples, kind, room, polygon, door, to, 0.0, high, deep, 0.0, 0.0)
    return xy, start, of


@kernel
def closed_lines(samples, kind, room, polygon, door, to, low, begin, fill, full):  # type: ignore[no-untyped-def]
    """Follow the outline, moved in, wherever the region is thicker than ``low``; as ``tracks`` does.

    Returns points with how much each is shifted, where rings begin and their polygons, and which polygons must go
    another way.
    """
    xy, start, of, _, broken = tracks(samples, kind, room, polygon, door, to, low, NEVER, begin, fill, full)
    points, begins = in_steps(xy, start)
    return (points, begins, of), broken
