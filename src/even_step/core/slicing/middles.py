"""The middle lines of narrow places that do not fork: through the middles of the circles that touch both sides."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.segments import first_met, kept_off
from even_step.core.slicing.doors import BEFORE, MARK, RING
from even_step.core.slicing.tracks import run_length

BESIDE = 0.005  # mm, by which a line may be wider than the wall beside it is near
FATTER = 0.9  # times as large as the circle at a line's end: a circle that the line goes on to
ON = 0.05  # mm
BLUNT = 2.65  # radii: farther ahead there is no blunt end, but the tip of a corner
SHORT = 0.1  # mm
LEAST_LONG = 0.04  # mm, less is no line: all circles of a disc lie on a spot
STEP = 0.05  # mm, by no more the thickness changes from a point to the next
LONG = 0.1  # mm, nor are they farther apart unless both are between the same edges: a wall may come nearer
MOST_PIECES = 8
SAME = 1e-6  # mm
OVER = 0.01  # mm, by which a line between rough sides of the outline stands out over their peaks
AT_OUTLINE = 0.2  # mm, deeper a line lies beside others, which follow what is rough
ROUGH = 0.02  # mm up and down along a millimetre: more than facets of a bent wall make of the room between them
GAP = 0.7  # mm, with the thickness: where one middle lies farther from the last the place is no simple one


@kernel
def members(door, to, starts, of_ring, begin, seq):  # type: ignore[no-untyped-def]
    """Write the samples of a narrow place in their order round it, −1 − k where a door k ends them.

    Returns how many.
    """
    n = 0
    if begin < 0:
        r = -1 - begin
        for i in range(starts[r], starts[r + 1]):
            seq[n] = i
            n += 1
        return n
    now = begin
    while True:
        r = int(door[now, RING])
        after = now + 1 if now + 1 < of_ring[r + 1] else of_ring[r]
        size = run_length(door, starts, now, after)
        i = int(door[now, BEFORE]) + 1
        for _ in range(size):
            if i >= starts[r + 1]:
                i -= starts[r + 1] - starts[r]
            seq[n] = i
            n += 1
            i += 1
        seq[n] = -1 - after
        n += 1
        now = to[after]
        if now == begin:
            return n


@kernel
def _leaves(seq, n, pos, mate, leaf):  # type: ignore[no-untyped-def]
    """Find the ends of a narrow place: doors, and where a side turns into the one it faces.

    Along a side, what it faces comes nearer and nearer; past such an end it lies behind.

    ``leaf`` gets where the samples before each end lie in ``seq``; returns how many ends there are, 3 for more.
    """
    found = 0
    before = -1
    first = -1
    for k in range(n):
        if seq[k] >= 0 and mate[seq[k]] >= 0 and pos[mate[seq[k]]] >= 0:
            first = k
            break
    if first < 0:
        return 3
    before = first
    crossed = False
    for step in range(1, n + 1):
        k = first + step if first + step < n else first + step - n
        if seq[k] < 0:
            crossed = True
            if found == 2:
                return 3
            leaf[found] = k
            found += 1
            continue
        if mate[seq[k]] < 0 or pos[mate[seq[k]]] < 0:
            continue
        if not crossed:
            there, back = pos[mate[seq[before]]], pos[mate[seq[k]]]
            # How far it is round the place, without the slow remainder.
            ahead = back - k if back >= k else back - k + n
            was = there - before if there >= before else there - before + n
            gap = k - before if k >= before else k - before + n
            turned = ahead > was + n // 3
            blunt = gap > 1 and abs(there - k) < 2 and abs(back - before) < 2
            if turned or blunt:
                if found == 2:
                    return 3
                leaf[found] = before
                found += 1
        crossed = False
        before = k
    return found


@kernel
def _fat_end(seq, n, leaf, balls, pos, out, w, least):  # type: ignore[no-untyped-def]
    """Write the middle of the largest circle in a blunt end if it is larger than ``least``; returns whether."""
    thick, sure, mate, centre = balls[0], balls[1], balls[2], balls[3]
    k = leaf
    best = -1
    while True:
        k = (k + 1) % n
        i = seq[k]
        if k == leaf or i < 0 or (mate[i] >= 0 and pos[mate[i]] >= 0):
            break
        if sure[i] and (best < 0 or thick[i] > thick[best]):
            best = i
    if best < 0 or 0.5 * thick[best] < least:
        return False
    out[w, 0], out[w, 1], out[w, 2], out[w, 3] = centre[best, 0], centre[best, 1], 0.5 * thick[best], -1.0
    return True


@kernel
def _up_to_end(out, at, back, last, net, to):  # type: ignore[no-untyped-def]
    """Write where a line meets a blunt end whose samples all look past it; returns whether it is not there yet.

    ``back`` is the step from its end ``at`` toward its other end ``last``.
    """
    radius, before = out[at, 2], at + back
    x, y = out[at, 0], out[at, 1]
    while before != last and np.hypot(x - out[before, 0], y - out[before, 1]) < radius:
        before += back
    dx, dy = x - out[before, 0], y - out[before, 1]
    long = np.hypot(dx, dy)
    if long == 0.0:
        return False
    dx, dy = dx / long, dy / long
    box, first, item = net[3]
    far, met = first_met(net[0], box, first, item, x, y, dx, dy, BLUNT * radius)
    if met < 0 or far - radius <= ON:
        return False
    out[to, 0], out[to, 1], out[to, 2], out[to, 3] = x + (far - radius) * dx, y + (far - radius) * dy, radius, -1.0
    return True


@kernel
def _go_on(out, before, at, to):  # type: ignore[no-untyped-def]
    """Write a point a little beyond a blunt end's middle, lest two lines that it has room for begin nowhere."""
    dx, dy = out[at, 0] - out[before, 0], out[at, 1] - out[before, 1]
    long = max(np.hypot(dx, dy), 1e-9)
    out[to, 0], out[to, 1] = out[at, 0] + dx / long * ON, out[at, 1] + dy / long * ON
    out[to, 2], out[to, 3] = out[at, 2], -1.0


@kernel
def _doorstep(doors, d, out, w):  # type: ignore[no-untyped-def]
    out[w, 0], out[w, 1], out[w, 2], out[w, 3] = doors[d, 6], doors[d, 7], -1.0, -1.0


@kernel
def _side(seq, n, begin, end, balls, pos, doors, net, out, w):  # type: ignore[no-untyped-def]
    """Write the middles met from one end to the other; returns the first point, the end and the longest step.

    The fourth column says which two edges a circle touches; −1 where those, or how large it is, are not known.
    """
    thick, mate, centre, edge, at = balls[0], balls[2], balls[3], balls[4], balls[5]
    first = w + 1
    w += 2
    for step in range(1, n + 1):
        k = begin + step if begin + step < n else begin + step - n
        i = seq[k]
        if i >= 0 and mate[i] >= 0 and pos[mate[i]] >= 0:
            out[w, 0], out[w, 1], out[w, 2], out[w, 3] = centre[i, 0], centre[i, 1], 0.5 * thick[i], -1.0
            wide = np.hypot(centre[i, 0] - at[i, 0], centre[i, 1] - at[i, 1])
            if edge[i] >= 0 and edge[mate[i]] >= 0 and abs(wide - out[w, 2]) < SAME:
                out[w, 3] = float(edge[i]) * edge.shape[0] + edge[mate[i]]
            w += 1
        if k == end:
            break
    if w == first + 1:
        return first, first, np.inf
    if seq[begin] < 0:
        _doorstep(doors, -1 - seq[begin], out, first)
    elif _fat_end(seq, n, begin, balls, pos, out, first, FATTER * out[first + 1, 2]):
        _go_on(out, first + 1, first, first - 1)
        first -= 1
    elif w < first + 3 or not _up_to_end(out, first + 1, 1, w - 1, net, first):
        first += 1
    if seq[end] < 0:
        _doorstep(doors, -1 - seq[end], out, w)
        w += 1
    elif _fat_end(seq, n, end, balls, pos, out, w, FATTER * out[w - 1, 2]):
        _go_on(out, w - 1, w, w + 1)
        w += 2
    elif w > first + 1 and _up_to_end(out, w - 1, -1, first, net, w):
        w += 1
    longest = 0.0
    for k in range(first + 1, w):
        longest = max(longest, np.hypot(out[k, 0] - out[k - 1, 0], out[k, 1] - out[k - 1, 1]))
    return first, w, longest


@kernel
def finish(out, first, w, net, deep, widest):  # type: ignore[no-untyped-def]
    """Give doors the room they have, and make radii those of what is left, no more than the room at each point."""
    for k in range(first, w):
        if out[k, 2] < 0.0:
            out[k, 2] = widest
    _within(out, first, w, net, deep)


@kernel
def _within(out, first, w, net, deep):  # type: ignore[no-untyped-def]
    """Make radii those of what is left of the room at each point."""
    kept_off(net[0], net[3], out, first, w, BESIDE)
    for k in range(first, w):
        out[k, 2] = max(0.0, out[k, 2] - deep)


@kernel
def middle(seq, pos, balls, doors, net, deep, widest, one, out, w, free):  # type: ignore[no-untyped-def]
    """Write the middle line of a narrow place with two ends; returns how many points there are, −1 if it has others.

    ``seq`` holds its samples as ``members`` gives them, ``pos`` where in it each sample is, −1 for others; ``balls``
    are the circles at samples: diameters, whether those are sure, samples across, centres, edges, samples.
    """
    n = seq.shape[0]
    leaf = np.empty(2, np.int64)
    if _leaves(seq, n, pos, balls[2], leaf) != 2:
        return -1
    a, b = leaf[0], leaf[1]
    begin, end, step = _side(seq, n, a, b, balls, pos, doors, net, out, w)
    other, last, longest = _side(seq, n, b, a, balls, pos, doors, net, out, end)
    if end - begin < 3 or (longest < step and last - other >= 3):
        a, b = leaf[1], leaf[0]
        begin, end, step = other, last, longest
    if end - begin < 3 or step > GAP + widest:
        return -1
    back = set_back(0.5 * widest - deep, one)
    before, after = back if upper(doors, seq[a]) else 0.0, back if upper(doors, seq[b]) else 0.0
    begin, end = shortened(out, begin, end, before, after, SHORT)
    if before > 0.0:
        out[begin, 2] = out[begin, 3] = -1.0
    if after > 0.0:
        out[end - 1, 2] = out[end - 1, 3] = -1.0
    size = end - begin
    long = 0.0
    for k in range(begin + 1, end):
        long += np.hypot(out[k, 0] - out[k - 1, 0], out[k, 1] - out[k - 1, 1])
    if long < LEAST_LONG:
        return -1
    for k in range(size):
        for m in range(4):
            out[w + k, m] = out[begin + k, m]
    free[0], free[1] = seq[a] >= 0, seq[b] >= 0
    finish(out, w, w + size, net, deep, 0.5 * widest)
    last = refined(out, w, w + size, net, deep)
    _over_peaks(out, w, last, net, deep)
    return last


@kernel
def _over_peaks(out, first, last, net, deep):  # type: ignore[no-untyped-def]
    """Let a line between rough sides stand out a little over their peaks, for between these it leaves as much void."""
    if deep > AT_OUTLINE:
        return
    long = up_and_down = 0.0
    for k in range(first + 1, last):
        long += np.hypot(out[k, 0] - out[k - 1, 0], out[k, 1] - out[k - 1, 1])
        up_and_down += abs(out[k, 2] - out[k - 1, 2])
    # Once in and out again is a waist.
    if up_and_down - 2.0 * np.ptp(out[first:last, 2]) > ROUGH * long:
        out[first:last, 2] += deep + OVER
        kept_off(net[0], net[3], out, first, last, OVER)
        out[first:last, 2] -= deep


@kernel
def refined(out, first, last, net, deep):  # type: ignore[no-untyped-def]
    """Part the steps of a line from wall to wall, or over which the thickness changes much; returns its end."""
    was = out[first:last].copy()
    was[:, 2] += deep
    w = first
    for k in range(was.shape[0]):
        pieces, same = 1, False
        if k > 0:
            pieces = int(2.0 * abs(was[k, 2] - was[k - 1, 2]) / STEP)
            same = was[k, 3] >= 0.0 and was[k, 3] == was[k - 1, 3]
            if not same:
                long = np.hypot(was[k, 0] - was[k - 1, 0], was[k, 1] - was[k - 1, 1])
                pieces = max(pieces, int(long / LONG))
            pieces = min(MOST_PIECES, 1 + pieces)
        for i in range(1, pieces + 1):
            for m in range(3):
                out[w, m] = was[k, m] if i == pieces else was[k - 1, m] + (was[k, m] - was[k - 1, m]) * i / pieces
            out[w, 3] = was[k, 3] if i == pieces or same else -1.0
            w += 1
    if w > last:
        _within(out, first, w, net, deep)
    else:
        out[first:last, 2] -= deep
    return w


@kernel
def set_back(half, one):  # type: ignore[no-untyped-def]
    """Return how far from a door to where it is thicker a line ends, for what is laid beyond it is wide itself.

    ``half`` is half of the thickness there; where it is more than ``one`` line's, two lines end there.
    """
    return half if 2.0 * half <= one + SAME else 0.5 * half


@kernel
def upper(doors, mark):  # type: ignore[no-untyped-def]
    """Tell whether an end is a door to where it is thicker."""
    return mark < 0 and abs(doors[-1 - mark, MARK]) == 2.0


@kernel
def shortened(line, first, last, begin, end, least):  # type: ignore[no-untyped-def]
    """Take so much off the ends of a line, in place, but leave ``least`` mm; returns its first point and its end."""
    long = 0.0
    for k in range(first + 1, last):
        long += np.hypot(line[k, 0] - line[k - 1, 0], line[k, 1] - line[k - 1, 1])
    if begin + end <= 0.0:
        return first, last
    share = min(1.0, max(long - least, 0.0) / (begin + end))
    for side in range(2):
        left = share * (begin if side == 0 else end)
        while left > 0.0:
            a, b = (first, first + 1) if side == 0 else (last - 1, last - 2)
            step = np.hypot(line[b, 0] - line[a, 0], line[b, 1] - line[a, 1])
            if step > left or last - first == 2:
                for m in range(line.shape[1]):
                    line[a, m] += (line[b, m] - line[a, m]) * min(left / step, 1.0)
                break
            left -= step
            if side == 0:
                first += 1
            else:
                last -= 1
    return first, last


@kernel
def middle_of_two(seq, split, pos, balls, net, deep, widest, out, w):  # type: ignore[no-untyped-def]
    """Write the closed middle line between two rings that face each other; −1 if they do not all round."""
    thick, mate, centre = balls[0], balls[2], balls[3]
    n = seq.shape[0]
    spare = out[w:w]
    best, kept, length = np.inf, -1, 0
    for side in range(2):
        a, b = (0, split) if side == 0 else (split, n)
        first = m = w
        step = 0.0
        for k in range(a, b):
            i = seq[k]
            if i < 0:
                return -1
            if mate[i] < 0 or pos[mate[i]] < 0 or (pos[mate[i]] < split) == (side == 0):
                continue
            out[m, 0], out[m, 1], out[m, 2] = centre[i, 0], centre[i, 1], 0.5 * thick[i]
            if m > first:
                step = max(step, np.hypot(out[m, 0] - out[m - 1, 0], out[m, 1] - out[m - 1, 1]))
            m += 1
        if m - first < 3:
            return -1
        step = max(step, np.hypot(out[m - 1, 0] - out[first, 0], out[m - 1, 1] - out[first, 1]))
        if step < best:
            best, kept, length = step, side, m - first
        if side == 0:
            spare = out[first:m].copy()
    if best > GAP + widest:
        return -1
    if kept == 0:
        out[w : w + length] = spare
    out[w + length] = out[w]
    length += 1
    out[w : w + length, 3] = -1.0
    finish(out, w, w + length, net, deep, 0.5 * widest)
    return w + length
