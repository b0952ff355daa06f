"""How middle lines end: straight through a door, short of the wall ahead, or as a stub."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.segments import first_met, grid_at, nearest_edge

STUB = 0.05  # mm, what is about as long as wide gets a line so long
SHORT = 0.1  # mm
BACK = 1.25  # times as far as the walls of a fork are, a line ends short of one that runs through
UPPER = 0.6  # times as far as they are at such a door the walls are at a door to where it is thicker, at the least
WITHIN = 1.7  # times a circle's radius: what lies in there is filled by a stub
AS_FAR = 0.95
AHEAD = 0.7  # cosine: a wall that a line meets more steeply than this is the end of the narrow place


@kernel
def finished(node, far, part, door, end, begin, way, start, grids, slot, deep, ends):  # type: ignore[no-untyped-def]
    """Turn walks over nodes into lines that end well; parts whose lines are too short get a stub instead.

    ``begin`` says where each node's neighbours begin, ``slot`` which of the grids holds a part's walls, ``deep`` by how
    much they are moved in, ``ends`` how far walls are at a door to where it is thicker, and how far from it lines end,
    for there others turn.

    Returns points, radii, starts, the part of each line and which of its ends are free.
    """
    parts, lines = slot.shape[0], start.shape[0] - 1
    room = way.shape[0] + 2 * parts
    xy, radius = np.empty((room, 2)), np.empty(room)
    starts = np.zeros(lines + parts + 1, np.int64)
    of = np.empty(lines + parts, np.int64)
    free = np.zeros((lines + parts, 2), np.bool_)
    long = np.zeros(parts)
    passed = _passed(way, start, node.shape[0])
    w = 0
    for k in range(lines):
        a, b = start[k], start[k + 1]
        for i in range(a, b):
            xy[w + i - a, 0], xy[w + i - a, 1] = node[way[i], 0], node[way[i], 1]
            radius[w + i - a] = far[way[i]]
        count = b - a
        for side in range(2):
            last = way[b - 1] if side == 0 else way[a]
            if side == 1:
                _turn(xy[w : w + count], radius[w : w + count])
            if door[last]:
                count = _straight(xy[w : w + count], radius[w : w + count])
                if radius[w + count - 1] > UPPER * ends[0]:
                    count = _short_of(xy[w : w + count], radius[w : w + count], ends[1])
            elif passed[last]:
                count = _short_of(xy[w : w + count], radius[w : w + count], BACK * far[last])
            if side == 1:
                _turn(xy[w : w + count], radius[w : w + count])
        of[k] = part[way[a]]
        free[k, 0] = end[way[a]] and not door[way[a]]
        free[k, 1] = end[way[b - 1]] and not door[way[b - 1]]
        _to_end(xy[w : w + count], radius[w : w + count], free[k], grid_at(grids, slot[of[k]]), deep)
        long[of[k]] += _length(xy[w : w + count])
        # From fork to fork within the circle about one of them there are others' lines.
        inner = not (end[way[a]] or door[way[a]] or end[way[b - 1]] or door[way[b - 1]])
        if not inner or _length(xy[w : w + count]) > max(far[way[a]], far[way[b - 1]]):
            w += count
        starts[k + 1] = w
    stubs = _stubs(node, far, part, begin, parts)
    clear = _clear(stubs, node, door, part)
    last = lines
    for p in range(parts):
        if stubs[p, 5] > 0.0:
            long[p] = 0.0
            _lengthen(stubs[p], clear[p], grid_at(grids, slot[p]), deep)
        if long[p] < STUB and stubs[p, 4] > 0.0:
            for side in range(2):
                xy[w, 0], xy[w, 1], radius[w] = stubs[p, 2 * side], stubs[p, 2 * side + 1], stubs[p, 4]
                w += 1
            of[last] = p
            free[last] = True
            starts[last + 1] = w
            last += 1
    return _without_short(xy, radius, starts, of, free, last, lines, long)


@kernel
def _without_short(xy, radius, starts, of, free, count, lines, long):  # type: ignore[no-untyped-def]
    """Leave out the lines of parts that got a stub, which come after all lines."""
    w = 0
    n = 0
    for k in range(count):
        a, b = starts[k], starts[k + 1]
        if a == b or (k < lines and long[of[k]] < STUB):
            continue
        for i in range(a, b):
            xy[w], radius[w] = xy[i], radius[i]
            w += 1
        of[n], free[n] = of[k], free[k]
        n += 1
        starts[n] = w
    return xy[:w].copy(), radius[:w].copy(), starts[: n + 1].copy(), of[:n].copy(), free[:n].copy()


@kernel
def _passed(way, start, count):  # type: ignore[no-untyped-def]
    """Tell through which nodes a line runs."""
    out = np.zeros(count, np.bool_)
    for k in range(start.shape[0] - 1):
        for i in range(start[k] + 1, start[k + 1] - 1):
            out[way[i]] = True
    return out


@kernel
def _length(xy):  # type: ignore[no-untyped-def]
    long = 0.0
    for i in range(1, xy.shape[0]):
        long += np.hypot(xy[i, 0] - xy[i - 1, 0], xy[i, 1] - xy[i - 1, 1])
    return long


@kernel
def _short_of(xy, radius, by):  # type: ignore[no-untyped-def]
    """Take so much off the end of a line, but leave a short one; returns how many points are left.

    There another line runs through, and covers half of its width.
    """
    count = xy.shape[0]
    left = min(by, _length(xy) - SHORT)
    while left > 0.0 and count > 2:
        a, b = count - 1, count - 2
        step = np.hypot(xy[b, 0] - xy[a, 0], xy[b, 1] - xy[a, 1])
        if step > left:
            for c in range(2):
                xy[a, c] += (xy[b, c] - xy[a, c]) * left / step
            radius[a] += (radius[b] - radius[a]) * left / step
            break
        left -= step
        count -= 1
    return count


@kernel
def _turn(xy, radius):  # type: ignore[no-untyped-def]
    i, j = 0, xy.shape[0] - 1
    while i < j:
        xy[i, 0], xy[j, 0] = xy[j, 0], xy[i, 0]
        xy[i, 1], xy[j, 1] = xy[j, 1], xy[i, 1]
        radius[i], radius[j] = radius[j], radius[i]
        i += 1
        j -= 1


@kernel
def _straight(xy, radius):  # type: ignore[no-untyped-def]
    """Make the last stretch, as long as the place is wide, straight; returns how many points are left.

    There a line leaves the narrow place through a door, where the triangles lean to one side.
    """
    last = xy.shape[0] - 1
    width = 2.0 * radius[last]
    near, before = -1, -1
    to_end = 0.0
    for i in range(last - 1, -1, -1):
        to_end += np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1])
        if near < 0 and to_end > width:
            near = i
        if to_end > 2.0 * width:
            before = i
            break
    if near < 1 or before < 0:
        return last + 1
    dx, dy = xy[near, 0] - xy[before, 0], xy[near, 1] - xy[before, 1]
    size = np.hypot(dx, dy)
    if size <= 0.0:
        return last + 1
    on = max(((xy[last, 0] - xy[near, 0]) * dx + (xy[last, 1] - xy[near, 1]) * dy) / size, 0.0)
    xy[near + 1, 0], xy[near + 1, 1] = xy[near, 0] + dx / size * on, xy[near, 1] + dy / size * on
    radius[near + 1] = radius[near]
    return near + 2


@kernel
def _to_end(xy, far, free, grid, deep):  # type: ignore[no-untyped-def]
    """Move free ends to where the wall ahead is as far as the walls beside."""
    edges, frame, first, item = grid
    count = xy.shape[0]
    if count < 3:
        return
    was = xy.copy()
    for side in range(2):
        if not free[side]:
            continue
        at = 0 if side == 0 else count - 1
        before = 2 if side == 0 else count - 3
        dx, dy = was[at, 0] - was[before, 0], was[at, 1] - was[before, 1]
        size = np.hypot(dx, dy)
        reach = far[before]
        if size == 0.0 or reach == 0.0:
            continue
        dx, dy = dx / size, dy / size
        ahead, e = first_met(
            edges, frame, first, item, was[before, 0], was[before, 1], dx, dy, size + 2.0 * reach + deep
        )
        if e < 0:
            continue
        ahead -= deep
        ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
        if abs(dx * uy - dy * ux) > AHEAD * np.hypot(ux, uy) and ahead > reach:
            middle = 1 if side == 0 else count - 2
            xy[at, 0], xy[at, 1] = was[before, 0] + dx * (ahead - reach), was[before, 1] + dy * (ahead - reach)
            xy[middle, 0], xy[middle, 1] = 0.5 * (xy[at, 0] + was[before, 0]), 0.5 * (xy[at, 1] + was[before, 1])
            far[at] = far[middle] = reach


@kernel
def _lengthen(stub, clear, grid, deep):  # type: ignore[no-untyped-def]
    """Lead a stub on both ways as far as the walls beside stay as far as they are, and no further than ``clear``."""
    edges, frame, first, item = grid
    dx, dy = (stub[2] - stub[0]) / STUB, (stub[3] - stub[1]) / STUB
    x, y, radius = 0.5 * (stub[0] + stub[2]), 0.5 * (stub[1] + stub[3]), stub[4]
    for side in range(2):
        way = -1.0 if side == 0 else 1.0
        ahead, _ = first_met(edges, frame, first, item, x, y, way * dx, way * dy, 2.0 * radius + deep)
        on = max(min(ahead - deep - radius, clear[side]), 0.5 * STUB)
        while on > 0.5 * STUB:
            ex, ey = x + way * dx * on, y + way * dy * on
            if nearest_edge(edges, frame, first, item, ex, ey, radius + deep) > AS_FAR * radius + deep:
                break
            on = max(0.5 * STUB, 0.7 * on)
        stub[2 * side], stub[2 * side + 1] = x + way * dx * on, y + way * dy * on


@kernel
def _clear(stubs, node, door, part):  # type: ignore[no-untyped-def]
    """Return how far from its middle a door lies on either way of each stub, (n, 2)."""
    out = np.full((stubs.shape[0], 2), np.inf)
    for i in range(node.shape[0]):
        p = part[i]
        if not door[i] or stubs[p, 4] <= 0.0:
            continue
        dx, dy = stubs[p, 2] - stubs[p, 0], stubs[p, 3] - stubs[p, 1]
        x, y = node[i, 0] - 0.5 * (stubs[p, 0] + stubs[p, 2]), node[i, 1] - 0.5 * (stubs[p, 1] + stubs[p, 3])
        along = (x * dx + y * dy) / STUB
        side = 0 if along < 0.0 else 1
        out[p, side] = min(out[p, side], abs(along))
    return out


@kernel
def _stubs(node, far, part, begin, parts):  # type: ignore[no-untyped-def]
    """Return for each part a short line through its widest place, the long way of its nodes: x, y, x, y, radius.

    The radius is 0 where no two nodes are joined; the last column is 1 where all of the part is hardly more than the
    circle there.
    """
    out = np.zeros((parts, 6))
    round_ = np.ones(parts, np.bool_)
    count, sums = np.zeros(parts), np.zeros((parts, 5))
    widest = np.full(parts, -1, np.int64)
    joined = np.zeros(parts, np.bool_)
    for i in range(node.shape[0]):
        p = part[i]
        count[p] += 1.0
        sums[p, 0] += node[i, 0]
        sums[p, 1] += node[i, 1]
        joined[p] |= begin[i + 1] > begin[i]
        if widest[p] < 0 or far[i] > far[widest[p]]:
            widest[p] = i
    for i in range(node.shape[0]):
        p = part[i]
        x, y = node[i, 0] - sums[p, 0] / count[p], node[i, 1] - sums[p, 1] / count[p]
        k = widest[p]
        away = np.hypot(node[i, 0] - node[k, 0], node[i, 1] - node[k, 1])
        round_[p] &= away + far[i] < WITHIN * far[k]
        sums[p, 2] += x * x
        sums[p, 3] += y * y
        sums[p, 4] += x * y
    for p in range(parts):
        if joined[p]:
            angle = 0.5 * np.arctan2(2.0 * sums[p, 4], sums[p, 2] - sums[p, 3])
            x, y = node[widest[p], 0], node[widest[p], 1]
            dx, dy = 0.5 * STUB * np.cos(angle), 0.5 * STUB * np.sin(angle)
            out[p, 0], out[p, 1], out[p, 2], out[p, 3], out[p, 4] = x - dx, y - dy, x + dx, y + dy, far[widest[p]]
            out[p, 5] = 1.0 if round_[p] else 0.0
    return out
