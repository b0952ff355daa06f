"""Doors: where a line that follows an outline crosses to the other side, for the thickness leaves a range.

The largest circle there touches the outline on both sides, so each door is found twice, from either side.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.balls import FACING, UX, UY, ball, contact, faces

SEARCH = 8  # steps to a door
EXACT = 0.001  # mm of thickness
APART = 0.01  # mm, circles whose centres lie no farther apart are one
RING, BEFORE, MARK = 8, 9, 10  # columns of doors
SAME = 1e-9
MORE = 0.1  # mm, circles so much larger than is looked for need no measure
AROUND = 0.2  # mm, so far and half of the thickness more a door may lie from where it is looked for
SPOT = 0.6  # mm, doors so near each other and without another side are none,
ASLANT = 1.5  # times as wide as what lies behind it is the mouth of a stub at the most
ALONG = 2.0  # times as far at the most along the outline: between others lies more than a spot


@kernel
def _door(net, samples, i, j, limit, deep, most, row):  # type: ignore[no-untyped-def]
    """Find where between two samples the thickness is just so, and write point, way, touch and centre there."""
    thick, sure = samples[3], samples[4]
    near = net[1:]
    a, b = 0.0, 1.0
    high_a, high_b = thick[i] - limit, thick[j] - limit
    level = -1.0  # of a corner: there it is no thinner
    if not sure[i]:
        level = thick[i]
    elif not sure[j]:
        level = thick[j]
    found = False
    known = most
    most = min(most, limit + MORE)
    look = np.empty(9)
    look[8] = -1.0
    for turn in range(SEARCH):
        even = level >= 0.0 or turn % 3 == 2
        share = (a + b) / 2.0 if even else a + (b - a) * high_a / (high_a - high_b)
        wide, facing = _across(near, samples[0], samples[1][i], i, j, share, deep, most, look)
        # So near a corner its other side is nearer than the wall across: as thick as at the corner.
        hidden = level < 0.0 and not facing and wide < min(thick[i], thick[j])
        if hidden:
            wide = thick[i] if share < 0.5 else thick[j]
        elif facing or wide > level:
            found = True
            row[:8] = look[:8]
        else:
            wide = level
        off = wide - limit
        if (facing and abs(off) < EXACT) or b - a < 0.01:
            break
        if (off >= 0.0) == (high_a >= 0.0):
            a, high_a = share, off
        else:
            b, high_b = share, off
    if not found:
        share = 0.0 if sure[i] and not sure[j] else 1.0 if sure[j] and not sure[i] else 0.5
        _across(near, samples[0], samples[1][i], i, j, share, deep, most, look)
        row[:8] = look[:8]
        k = i if share == 0.0 else j
        cx, cy = samples[5][k, 0], samples[5][k, 1]
        if share != 0.5 and thick[k] < known and np.hypot(cx - look[6], cy - look[7]) > APART:
            # Beside a corner's sample the corner hides the other side: the circle there is the sample's.
            row[4], row[5], row[6], row[7] = samples[0][k, 0], samples[0][k, 1], cx, cy


@kernel
def _across(net, at, edge, i, j, share, deep, most, look):  # type: ignore[no-untyped-def]
    """Look across from between two samples: returns thickness, and whether walls face each other.

    ``look`` gets point, way, touch, centre, and the edge that is touched, which the next one may touch too.
    """
    before, side, grid = net
    for c in range(4):
        look[c] = at[i, c] + (at[j, c] - at[i, c]) * share
    if edge >= 0:
        e, other = edge, -1
        nx, ny = -side[e, UY], side[e, UX]
        fx, fy = look[0] + deep * (look[2] - nx), look[1] + deep * (look[3] - ny)
    else:
        e = -1 - edge
        other = before[e]
        long = np.hypot(look[2], look[3])
        nx, ny = look[2] / long, look[3] / long
        fx, fy = look[0], look[1]
    radius, found, what = ball(side, grid, fx, fy, nx, ny, e, other, int(look[8]), most / 2.0)
    look[8] = found
    look[6], look[7] = fx + radius * nx, fy + radius * ny
    if found < 0:
        look[4], look[5] = look[0], look[1]
        return 2.0 * radius, True
    look[4], look[5] = contact(side, found, what, look[6], look[7])
    return 2.0 * radius, faces(side, found, what, look[6], look[7], radius, nx, ny) < FACING


@kernel
def by_ring(door, rings):  # type: ignore[no-untyped-def]
    """Return where each ring's doors begin, (rings + 1,)."""
    out = np.zeros(rings + 1, np.int64)
    for k in range(door.shape[0]):
        out[int(door[k, RING]) + 1] += 1
    for r in range(rings):
        out[r + 1] += out[r]
    return out


@kernel
def inward(door, k, deep):  # type: ignore[no-untyped-def]
    """Return where a door is when the outline is moved in."""
    return door[k, 0] + deep * door[k, 2], door[k, 1] + deep * door[k, 3]


@kernel
def _other_side(door, k, deep):  # type: ignore[no-untyped-def]
    """Return where the door that it leads to is looked for when the outline is moved in."""
    dx, dy = door[k, 6] - door[k, 4], door[k, 7] - door[k, 5]
    radius = np.hypot(dx, dy)
    on = min(1.0, deep / radius) if radius > 0.0 else 0.0
    return door[k, 4] + dx * on, door[k, 5] + dy * on


@kernel
def doors(net, samples, polygon, low, high, deep, most):  # type: ignore[no-untyped-def]
    """Return the doors of a range of thickness in the order they are met, and for each the one it leads to.

    Rows of (n, 11): point and way as of samples, where the circle touches the other side, its centre, ring, sample
    before, and 1 where the range begins or −1 where it ends, twice as much at the upper end of the range. A door that
    leads nowhere has −1. They are matched as they are ``deep`` within the outline.
    """
    starts, thick = samples[2], samples[3]
    out = np.empty((64, 11))
    n = 0
    for r in range(starts.shape[0] - 1):
        for i in range(starts[r], starts[r + 1]):
            j = i + 1 if i + 1 < starts[r + 1] else starts[r]
            for turn in range(2):
                upper = (turn == 0) == (thick[i] > thick[j])
                limit = high if upper else low
                if (thick[i] >= limit) == (thick[j] >= limit):
                    continue
                into = (thick[j] >= limit) != upper
                if n == out.shape[0]:
                    more = np.empty((2 * n, 11))
                    more[:n] = out
                    out = more
                _door(net, samples, i, j, limit, deep, most, out[n])
                out[n, RING], out[n, BEFORE] = r, i
                out[n, MARK] = (1.0 if into else -1.0) * (2.0 if upper else 1.0)
                n += 1
    door = out[:n]
    to = _led(door, polygon, low, high, deep)
    kept = _without_twins(door, to, samples, low, high, deep)
    door, to = _remaining(door, to, kept)
    # A third wall is touched only in passing; and the mouth of a stub may see the room on one side alone.
    _lead_to_nearest(door, to, polygon, door[:, 6:8].copy(), SPOT)
    mouth = np.empty((door.shape[0], 2))
    for k in range(door.shape[0]):
        mouth[k, 0], mouth[k, 1] = inward(door, k, deep)
    _lead_to_nearest(door, to, polygon, mouth, max(SPOT, ASLANT * (high - 2.0 * deep)))
    return door, to


@kernel
def _without_twins(door, to, samples, low, high, deep):  # type: ignore[no-untyped-def]
    """Take what lies between two neighbours that lead nowhere for as thick as beside them; returns which doors stay.

    Where a range is just reached, one side may see it and the other not: no door is as good as two.
    """
    starts, thick = samples[2], samples[3]
    kept = np.ones(door.shape[0], np.bool_)
    of_ring = by_ring(door, starts.shape[0] - 1)
    for r in range(starts.shape[0] - 1):
        size = starts[r + 1] - starts[r]
        for k in range(of_ring[r], of_ring[r + 1]):
            after = k + 1 if k + 1 < of_ring[r + 1] else of_ring[r]
            if after == k or to[k] >= 0 or to[after] >= 0 or not (kept[k] and kept[after]):
                continue
            if door[k, MARK] + door[after, MARK] != 0.0 or not _near(door, k, after, deep):
                continue
            run = int(door[after, BEFORE] - door[k, BEFORE])
            run = run if run >= 0 else run + size
            if _way(samples[0], starts[r], size, int(door[k, BEFORE]), run) > ALONG * SPOT:
                continue
            kept[k] = kept[after] = False
            limit = high if abs(door[k, MARK]) == 2.0 else low
            above = (door[after, MARK] > 0.0) == (abs(door[after, MARK]) == 1.0)
            for m in range(1, run + 1):
                i = int(door[k, BEFORE]) + m
                thick[i if i < starts[r + 1] else i - size] = limit if above else limit - SAME
    return kept


@kernel
def _way(at, first, size, i, steps):  # type: ignore[no-untyped-def]
    """Return how long it is from one sample of a ring over so many to the next, mm."""
    long = 0.0
    for m in range(steps):
        a, b = first + (i - first + m) % size, first + (i - first + m + 1) % size
        long += np.hypot(at[b, 0] - at[a, 0], at[b, 1] - at[a, 1])
    return long


@kernel
def _lead_to_nearest(door, to, polygon, spot, reach):  # type: ignore[no-untyped-def]
    """Join doors without another side whose spots are no further apart than so many mm."""
    left = np.flatnonzero(to < 0)
    best = np.full(left.shape[0], reach)
    mate = np.full(left.shape[0], -1, np.int64)
    for m in range(left.shape[0]):
        for n in range(left.shape[0]):
            i, j = left[m], left[n]
            if door[i, MARK] + door[j, MARK] != 0.0 or polygon[int(door[i, RING])] != polygon[int(door[j, RING])]:
                continue
            off = np.hypot(spot[i, 0] - spot[j, 0], spot[i, 1] - spot[j, 1])
            if off < best[m]:
                best[m], mate[m] = off, n
    for m in range(left.shape[0]):
        if mate[m] >= 0 and mate[mate[m]] == m:
            to[left[m]] = left[mate[m]]


@kernel
def upper_doors(door, to, gone):  # type: ignore[no-untyped-def]
    """Return the doors of what is thicker than a range: those at its upper end, from the other side."""
    kept = np.abs(door[:, MARK]) == 2.0
    kept[gone] = False
    out, on = _remaining(door, to, kept)
    out[:, MARK] *= -0.5
    return out, on


@kernel
def _near(door, a, b, deep):  # type: ignore[no-untyped-def]
    ax, ay = inward(door, a, deep)
    bx, by = inward(door, b, deep)
    return np.hypot(ax - bx, ay - by) < SPOT


@kernel
def _remaining(door, to, kept):  # type: ignore[no-untyped-def]
    """Return the doors that are kept, and where each leads then."""
    number = np.full(door.shape[0], -1, np.int64)
    n = 0
    for k in range(door.shape[0]):
        if kept[k]:
            number[k] = n
            n += 1
    out, on = np.empty((n, 11)), np.full(n, -1, np.int64)
    for k in range(door.shape[0]):
        if kept[k]:
            out[number[k]] = door[k]
            if to[k] >= 0:
                on[number[k]] = number[to[k]]
    return out, on


@kernel
def _led(door, polygon, low, high, deep):  # type: ignore[no-untyped-def]
    """Say to which door of the same polygon each leads: where each lies where the other one looks for it.

    −1 for none.
    """
    count = door.shape[0]
    to = np.full(count, -1, np.int64)
    best = np.full(count, np.inf)
    here, there = np.empty((count, 2)), np.empty((count, 2))
    for k in range(count):
        here[k, 0], here[k, 1] = inward(door, k, deep)
        there[k, 0], there[k, 1] = _other_side(door, k, deep)
    order = np.argsort(here[:, 0], kind="mergesort")
    along = here[:, 0][order]
    reach = AROUND + 0.5 * high
    for i in range(count):
        limit = AROUND + 0.5 * (high if abs(door[i, MARK]) == 2.0 else low)
        n = np.searchsorted(along, there[i, 0] - reach)
        while n < count and along[n] <= there[i, 0] + reach:
            j = order[n]
            n += 1
            if door[i, MARK] + door[j, MARK] != 0.0 or polygon[int(door[j, RING])] != polygon[int(door[i, RING])]:
                continue
            off = abs(there[i, 0] - here[j, 0]) + abs(there[i, 1] - here[j, 1])
            off = max(off, abs(there[j, 0] - here[i, 0]) + abs(there[j, 1] - here[i, 1]))
            if off < best[i] and off <= limit:
                best[i], to[i] = off, j
    mutual = to.copy()
    for i in range(count):
        if to[i] >= 0 and to[to[i]] != i:
            mutual[i] = -1
    return mutual
