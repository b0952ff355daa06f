"""Raw loops become rings: simplified, snapped, begun at a fixed point, nested.

A ring begins at its leftmost (then lowest) point, so that layers of the same shape come out equal bit for
bit wherever their chains began.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel


@kernel
def start_of_ring(xy, first, last):  # type: ignore[no-untyped-def]
    """Return the place of the leftmost, then lowest point of a loop."""
    at = first
    for i in range(first + 1, last):
        if xy[i, 0] < xy[at, 0] or (xy[i, 0] == xy[at, 0] and xy[i, 1] < xy[at, 1]):
            at = i
    return at


@kernel
def simplify_ring(loop, count, tolerance, keep, stack):  # type: ignore[no-untyped-def]
    """Mark the points a closed ring needs to stay within the tolerance (Douglas and Peucker 1973).

    The first point is kept, and the one farthest from it, so the two halves are open lines.
    """
    for i in range(count):
        keep[i] = False
    keep[0] = True
    far = 0
    best = -1.0
    for i in range(1, count):
        d = (loop[i, 0] - loop[0, 0]) ** 2 + (loop[i, 1] - loop[0, 1]) ** 2
        if d > best:
            best = d
            far = i
    keep[far] = True
    stack[0, 0], stack[0, 1] = 0, far
    stack[1, 0], stack[1, 1] = far, count
    depth = 2
    limit = tolerance * tolerance
    while depth > 0:
        depth -= 1
        low, high = stack[depth, 0], stack[depth, 1]
        if high - low < 2:
            continue
        end = high if high < count else 0
        x0, y0 = loop[low, 0], loop[low, 1]
        dx, dy = loop[end, 0] - x0, loop[end, 1] - y0
        length = dx * dx + dy * dy
        scale = 1.0 / length if length > 0.0 else 0.0
        best = -1.0
        at = low
        for i in range(low + 1, high):
            px, py = loop[i, 0] - x0, loop[i, 1] - y0
            share = min(max((px * dx + py * dy) * scale, 0.0), 1.0)
            d = (px - share * dx) ** 2 + (py - share * dy) ** 2
            if d > best:
                best = d
                at = i
        if best > limit:
            keep[at] = True
            stack[depth, 0], stack[depth, 1] = low, at
            stack[depth + 1, 0], stack[depth + 1, 1] = at, high
            depth += 2


@kernel
def ring_area(xy, first, last):  # type: ignore[no-untyped-def]
    """Return the signed area of a ring, leftward positive."""
    x0, y0 = xy[first, 0], xy[first, 1]
    total = 0.0
    for i in range(first + 1, last - 1):
        total += (xy[i, 0] - x0) * (xy[i + 1, 1] - y0) - (xy[i + 1, 0] - x0) * (xy[i, 1] - y0)
    return 0.5 * total


@kernel
def ring_areas(xy, start):  # type: ignore[no-untyped-def]
    """Return the signed area of each ring."""
    out = np.empty(start.shape[0] - 1)
    for r in range(start.shape[0] - 1):
        out[r] = ring_area(xy, start[r], start[r + 1])
    return out


@kernel
def mix(state, bits):  # type: ignore[no-untyped-def]
    """Take 64 more bits into a hash."""
    state = (state ^ bits) * np.uint64(0x9FB21C651E98DF25)
    return state ^ (state >> np.uint64(28))


@kernel
def simplified_rings(xy, start, tolerance):  # type: ignore[no-untyped-def]
    """Leave out the points that rings do not need to stay within the tolerance; returns points and starts."""
    count = start.shape[0] - 1
    most = 1
    for r in range(count):
        most = max(most, start[r + 1] - start[r])
    keep = np.empty(most, np.bool_)
    stack = np.empty((most + 4, 2), np.int64)
    out = np.empty((xy.shape[0], 2))
    starts = np.zeros(count + 1, np.int64)
    w = 0
    for r in range(count):
        first, size = start[r], start[r + 1] - start[r]
        simplify_ring(xy[first : first + size], size, tolerance, keep, stack)
        kept = 0
        for i in range(size):
            kept += keep[i]
        for i in range(size):
            if keep[i] or kept < 3:
                out[w, 0], out[w, 1] = xy[first + i, 0], xy[first + i, 1]
                w += 1
        starts[r + 1] = w
    return out[:w].copy(), starts


@kernel
def is_inside(x, y, xy, first, last):  # type: ignore[no-untyped-def]
    """Whether a point lies inside a ring, by the even-odd rule."""
    odd = False
    j = last - 1
    for i in range(first, last):
        if (xy[i, 1] > y) != (xy[j, 1] > y) and x < (xy[j, 0] - xy[i, 0]) * (y - xy[i, 1]) / (xy[j, 1] - xy[i, 1]) + xy[
            i, 0
        ]:
            odd = not odd
        j = i
    return odd


@kernel
def nest_rings(xy, start, first, last, area, order, parent):  # type: ignore[no-untyped-def]
    """Find the shell of each hole among rings ``first..last``: the smallest ring to the left round it.

    ``parent`` gets the shell's number, its own for a shell, −1 for a hole in nothing. Two of three points
    of the hole must agree, for one may touch the shell.
    """
    shells = 0
    for r in range(first, last):
        parent[r] = -1
        if area[r] > 0.0:
            parent[r] = r
            at = shells
            while at > 0 and area[order[at - 1]] > area[r]:
                order[at] = order[at - 1]
                at -= 1
            order[at] = r
            shells += 1
    box = np.empty((last - first, 4))
    for r in range(first, last):
        b = r - first
        box[b, 0] = box[b, 2] = xy[start[r], 0]
        box[b, 1] = box[b, 3] = xy[start[r], 1]
        for i in range(start[r], start[r + 1]):
            box[b, 0] = min(box[b, 0], xy[i, 0])
            box[b, 1] = min(box[b, 1], xy[i, 1])
            box[b, 2] = max(box[b, 2], xy[i, 0])
            box[b, 3] = max(box[b, 3], xy[i, 1])
    for r in range(first, last):
        if area[r] > 0.0:
            continue
        b = r - first
        for k in range(shells):
            s = order[k]
            o = s - first
            if (
                area[s] < -area[r]
                or box[o, 0] > box[b, 0]
                or box[o, 1] > box[b, 1]
                or box[o, 2] < box[b, 2]
                or box[o, 3] < box[b, 3]
            ):
                continue
            votes = 0
            count = start[r + 1] - start[r]
            for v in range(3):
                i = start[r] + (v * count) // 3
                if is_inside(xy[i, 0], xy[i, 1], xy, start[s], start[s + 1]):
                    votes += 1
            if votes >= 2:
                parent[r] = s
                break
