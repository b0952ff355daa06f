"""Lines and outlines inside a region where it is neither too thin nor too thick, followed along its outline.

Every sample of the outline, moved in, is a point of them. Where the thickness leaves the range that is asked for, the
line crosses to the other side, through a door: the largest circle there touches the outline on both sides.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.slicing.doors import BEFORE, MARK, RING, by_ring, inward
from even_step.core.slicing.evened import HARDLY

HAIRLINE = 0.02  # mm, a gap no wider than that is not worth another width
SAME = 1e-9
STEP = 0.02  # mm, by no more is a line shifted from point to point; its width changes by twice as much


@kernel
def shift(thick, fill, full):  # type: ignore[no-untyped-def]
    """Return how much further in a line lies where two share the thickness that is left, 0 where there is room."""
    slit = thick - 2.0 * fill
    return 0.25 * slit if thick < full and abs(slit) > HAIRLINE else 0.0


@kernel
def tracks(samples, kind, room, polygon, door, to, low, high, begin, fill, full):  # type: ignore[no-untyped-def]
    """Follow the outline, moved in, wherever the thickness is in a range; doors join what is cut.

    ``begin`` is how deep, mm. Where ``fill`` is more than 0 a line of that plastic width lies there, its edge so deep;
    where the thickness is less than ``full``, two share it.

    Returns points, how much each is shifted further in, where rings begin, the polygon of each, the door each begins
    at (less than 0 for a whole ring of the outline, which it is then less one), and the polygons whose doors lead
    nowhere.
    """
    at, edge, starts, thick = samples[0], samples[1], samples[2], samples[3]
    count = door.shape[0]
    out = np.empty((3 * at.shape[0] + 2 * count + 16, 3))
    start = np.zeros(starts.shape[0] + count + 1, np.int64)
    of = np.empty(starts.shape[0] + count, np.int64)
    origin = np.empty(starts.shape[0] + count, np.int64)
    broken = np.zeros(polygon[polygon.shape[0] - 1] + 1 if polygon.shape[0] else 0, np.bool_)
    of_ring = by_ring(door, starts.shape[0] - 1)
    for k in range(count):
        if to[k] < 0:
            broken[polygon[int(door[k, RING])]] = True
    soft = _softened(starts, thick, samples[6], low, 2.0 * begin, fill, full)
    deep = begin + 0.5 * fill
    rings = 0
    w = 0
    for r in range(starts.shape[0] - 1):
        first = starts[r]
        if of_ring[r] != of_ring[r + 1] or first == starts[r + 1]:
            continue
        if thick[first] < low or thick[first] >= high:
            continue
        lead = first
        while lead < starts[r + 1] and room[lead] < deep + soft[lead]:
            lead += 1
        if lead == starts[r + 1]:
            continue
        w = _follow(at, edge, kind, room, soft, deep, first, starts[r + 1], lead, starts[r + 1] - first, out, w, True)
        rings = _close(start, of, origin, rings, w, polygon[r], -1 - r)
        w = start[rings]
    used = np.zeros(count, np.bool_)
    for k in range(count):
        if used[k] or door[k, MARK] < 0.0 or broken[polygon[int(door[k, RING])]]:
            continue
        now = k
        while not used[now]:
            used[now] = True
            r = int(door[now, RING])
            after = now + 1 if now + 1 < of_ring[r + 1] else of_ring[r]
            if door[after, MARK] > 0.0:
                broken[polygon[r]] = True
                break
            size = run_length(door, starts, now, after)
            w = _at_door(out, w, door, now, deep, low, high, begin, fill, full)
            lead = int(door[now, BEFORE]) + 1
            if lead == starts[r + 1]:
                lead = starts[r]
            w = _follow(at, edge, kind, room, soft, deep, starts[r], starts[r + 1], lead, size, out, w, False)
            w = _at_door(out, w, door, after, deep, low, high, begin, fill, full)
            now = to[after]
        if not broken[polygon[int(door[k, RING])]]:
            rings = _close(start, of, origin, rings, w, polygon[int(door[k, RING])], k)
        w = start[rings]
    return out[:w].copy(), start[: rings + 1].copy(), of[:rings].copy(), origin[:rings].copy(), broken


@kernel
def run_length(door, starts, now, after):  # type: ignore[no-untyped-def]
    """Return how many samples lie between two doors of a ring."""
    size = int(door[after, BEFORE] - door[now, BEFORE])
    r = int(door[now, RING])
    return size + starts[r + 1] - starts[r] if size < 0 or (size == 0 and after <= now) else size


@kernel
def _at_door(out, w, door, k, deep, low, high, begin, fill, full):  # type: ignore[no-untyped-def]
    """Write the point of a line at a door."""
    limit = high if abs(door[k, MARK]) == 2.0 else low
    by = shift(limit - 2.0 * begin, fill, full) if fill > 0.0 else 0.0
    x, y = inward(door, k, deep + by)
    return _point(out, w, x, y, by)


@kernel
def _close(start, of, origin, rings, w, polygon, begin):  # type: ignore[no-untyped-def]
    if w > start[rings] + 2:
        of[rings], origin[rings] = polygon, begin
        rings += 1
        start[rings] = w
    return rings


@kernel
def _point(out, w, x, y, by):  # type: ignore[no-untyped-def]
    out[w, 0], out[w, 1], out[w, 2] = x, y, by
    return w + 1


@kernel
def _softened(starts, thick, real, low, less, fill, full):  # type: ignore[no-untyped-def]
    """Return how much each sample's line is shifted, evened out a little along the line.

    Where ``thick`` says that two lines share what is left, ``real`` says how much it is.
    """
    soft = np.zeros(thick.shape[0])
    if fill <= 0.0:
        return soft
    for r in range(starts.shape[0] - 1):
        a, b = starts[r], starts[r + 1]
        for i in range(a, b):
            before, after = i - 1 if i > a else b - 1, i + 1 if i + 1 < b else a
            one = _shared(thick[before], real[before], low, less, fill, full)
            two = _shared(thick[i], real[i], low, less, fill, full)
            soft[i] = 0.25 * one + 0.5 * two + 0.25 * _shared(thick[after], real[after], low, less, fill, full)
    return soft


@kernel
def _shared(thick, real, low, less, fill, full):  # type: ignore[no-untyped-def]
    """Return how much a sample's line is shifted; beyond the door as there."""
    if thick < low:
        return shift(low - less, fill, full)
    return shift(max(real, low - HARDLY) - less, fill, np.inf if thick - less < full else full)


@kernel
def _moved(at, i, by):  # type: ignore[no-untyped-def]
    return at[i, 0] + by * at[i, 2], at[i, 1] + by * at[i, 3]


@kernel
def _follow(at, edge, kind, room, soft, deep, first, last, lead, size, out, w, closed):  # type: ignore[no-untyped-def]
    """Write so many samples of a ring moved in, but for what corners cut off; returns how many points there are."""
    count = last - first
    before = -1
    skipped = written = False
    for k in range(size + 1 if closed else size):
        i = lead + k
        i = i - count if i >= last else i
        if room[i] < deep + soft[i] - SAME:
            skipped = True
            continue
        h, n = i - 1 if i > first else last - 1, i + 1 if i + 1 < last else first
        corner = skipped and before >= 0 and (edge[before] < 0 or edge[before] != edge[h])
        if corner:
            m = before + 1 if before + 1 < last else first
            if not written:
                x, y = _moved(at, before, deep + soft[before])
                w = _point(out, w, x, y, soft[before])
            least = min(soft[before], soft[i])
            w = _meeting(at, before, m, h, i, deep + soft[before], deep + soft[i], least, out, w)
        skipped = False
        before = i
        if closed and k == size:
            break
        even = kind[i] == 0 and abs(soft[i] - soft[h]) < 1e-6 and abs(soft[i] - soft[n]) < 1e-6
        written = not even or corner or (k == 0 and not closed)
        if written:
            x, y = _moved(at, i, deep + soft[i])
            w = _point(out, w, x, y, soft[i])
    return w


@kernel
def _meeting(at, a, b, c, d, deep, deeper, by, out, w):  # type: ignore[no-untyped-def]
    """Write where the line from a towards b meets that from c to d, if it does."""
    ax, ay = _moved(at, a, deep)
    bx, by_ = _moved(at, b, deep)
    cx, cy = _moved(at, c, deeper)
    dx, dy = _moved(at, d, deeper)
    ux, uy, vx, vy = bx - ax, by_ - ay, dx - cx, dy - cy
    across = ux * vy - uy * vx
    if across == 0.0:
        return w
    s = ((cx - ax) * vy - (cy - ay) * vx) / across
    t = ((cx - ax) * uy - (cy - ay) * ux) / across
    if -0.1 <= s <= 1.1 and -0.1 <= t <= 1.1:
        return _point(out, w, ax + s * ux, ay + s * uy, by)
    return w


@kernel
def in_steps(xy, start):  # type: ignore[no-untyped-def]
    """Return rings, points with how much each is shifted, with points between where the shift changes fast."""
    more = 0
    for r in range(start.shape[0] - 1):
        for i in range(start[r], start[r + 1]):
            j = i + 1 if i + 1 < start[r + 1] else start[r]
            more += int(abs(xy[j, 2] - xy[i, 2]) / STEP)
    if more == 0:
        return xy, start
    out = np.empty((xy.shape[0] + more, 3))
    begin = np.zeros(start.shape[0], np.int64)
    w = 0
    for r in range(start.shape[0] - 1):
        for i in range(start[r], start[r + 1]):
            j = i + 1 if i + 1 < start[r + 1] else start[r]
            steps = int(abs(xy[j, 2] - xy[i, 2]) / STEP) + 1
            for m in range(steps):
                for c in range(3):
                    out[w, c] = xy[i, c] + (xy[j, c] - xy[i, c]) * m / steps
                w += 1
        begin[r + 1] = w
    return out, begin
