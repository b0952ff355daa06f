"""The cuts of facets, chained into loops; what does not close is closed."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

SHEET = 0.005  # mm, a closed chain thinner than this holds nothing


@kernel
def _cross(vertices, low, high, z, out, at):  # type: ignore[no-untyped-def]
    """Put where the edge from a lower to an upper vertex meets the plane into ``out[at]``."""
    share = (z - vertices[low, 2]) / (vertices[high, 2] - vertices[low, 2])
    out[at, 0] = vertices[low, 0] + (vertices[high, 0] - vertices[low, 0]) * share
    out[at, 1] = vertices[low, 1] + (vertices[high, 1] - vertices[low, 1]) * share


@kernel
def _ends(faces, rank, f, k):  # type: ignore[no-untyped-def]
    """Return the lower and upper vertex of the edge where the cut of a facet begins, and where it ends."""
    a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
    up_a, up_b, up_c = rank[a] > k, rank[b] > k, rank[c] > k
    if up_a == up_b:
        a, b, c = c, a, b
        up_a = up_c
    elif up_a == up_c:
        a, b, c = b, c, a
        up_a = up_b
    # a is alone on its side: the cut crosses a–b and c–a.
    if up_a:
        return b, a, c, a
    return a, c, a, b


@kernel
def chain_cuts(vertices, faces, rank, cuts, facets, start, first, last, limit):  # type: ignore[no-untyped-def]
    """Chain the cuts of layers ``first..last`` into loops.

    A table per layer, open addressing keyed by the edge (lower vertex, upper vertex), says which cut begins
    at an edge. Returns points, starts of loops, starts of layers in loops, gaps wider than the limit (layer,
    width, x, y) and how many chains were open.
    """
    most = 1
    total = 0
    for k in range(first, last):
        count = start[k + 1] - start[k]
        most = max(most, count)
        total += count
    log = 4
    while (1 << log) < 2 * most:
        log += 1
    table = np.empty(1 << log, np.int32)
    begin = np.empty(most, np.int64)
    end = np.empty(most, np.int64)
    following = np.empty(most, np.int32)
    led_to = np.empty(most, np.bool_)
    points = np.empty((2 * total, 2))
    loop = np.empty(total + 1, np.int64)
    layer = np.zeros(last - first + 1, np.int64)
    gaps = np.empty((16, 4))
    found = 0
    opened = 0
    loop[0] = 0
    loops = 0
    w = 0
    for k in range(first, last):
        count = start[k + 1] - start[k]
        base = start[k]
        bits = 3
        while (1 << bits) < 2 * count:
            bits += 1
        mask = (1 << bits) - 1
        shift = np.uint64(64 - bits)
        for i in range(mask + 1):
            table[i] = -1
        for i in range(count):
            b0, b1, e0, e1 = _ends(faces, rank, facets[base + i], k)
            begin[i] = (np.int64(b0) << 32) | np.int64(b1)
            end[i] = (np.int64(e0) << 32) | np.int64(e1)
            led_to[i] = False
            slot = np.int64((np.uint64(begin[i]) * np.uint64(0x9E3779B97F4A7C15)) >> shift)
            while table[slot] >= 0:
                slot = (slot + 1) & mask
            table[slot] = i
        for i in range(count):
            following[i] = -1
            slot = np.int64((np.uint64(end[i]) * np.uint64(0x9E3779B97F4A7C15)) >> shift)
            while table[slot] != -1:
                j = table[slot]
                if begin[j] == end[i] and not led_to[j]:
                    following[i] = j
                    led_to[j] = True
                    break
                slot = (slot + 1) & mask
        z = cuts[k]
        first_loop = loops
        for i in range(count):
            if led_to[i] or begin[i] < 0:
                continue
            j = i
            while True:
                _cross(vertices, begin[j] >> 32, begin[j] & 0xFFFFFFFF, z, points, w)
                w += 1
                begin[j] = -1
                if following[j] < 0:
                    break
                j = following[j]
            _cross(vertices, end[j] >> 32, end[j] & 0xFFFFFFFF, z, points, w)
            w += 1
            loops += 1
            loop[loops] = w
        if loops > first_loop:
            opened += loops - first_loop
            loops, gaps, found = _close(points, loop, first_loop, loops, limit, k - first, gaps, found)
            w = loop[loops]
        for i in range(count):
            if begin[i] < 0:
                continue
            j = i
            while begin[j] >= 0:
                _cross(vertices, begin[j] >> 32, begin[j] & 0xFFFFFFFF, z, points, w)
                w += 1
                begin[j] = -1
                j = following[j]
            loops += 1
            loop[loops] = w
        layer[k - first + 1] = loops
    return points[:w].copy(), loop[: loops + 1].copy(), layer, gaps[:found].copy(), opened


@kernel
def _close(points, loop, first, last, limit, layer, gaps, found):  # type: ignore[no-untyped-def]
    """Join open chains ``first..last`` of a layer end to nearest beginning, until all are loops.

    A chain is closed on itself when its own beginning is the nearest. Every gap wider than the limit is
    noted. Returns the new number of loops, the gaps and their count.
    """
    count = last - first
    copy = points[loop[first] : loop[last]].copy()
    begin = loop[first : last + 1] - loop[first]
    begin = begin.copy()
    used = np.zeros(count, np.bool_)
    w = loop[first]
    loops = first
    for seed in range(count):
        if used[seed]:
            continue
        used[seed] = True
        before = found
        head = seed
        chain = seed
        while True:
            for p in range(begin[chain], begin[chain + 1]):
                points[w, 0] = copy[p, 0]
                points[w, 1] = copy[p, 1]
                w += 1
            x, y = copy[begin[chain + 1] - 1, 0], copy[begin[chain + 1] - 1, 1]
            best = (copy[begin[head], 0] - x) ** 2 + (copy[begin[head], 1] - y) ** 2
            nearest = -1
            for c in range(count):
                if not used[c]:
                    d = (copy[begin[c], 0] - x) ** 2 + (copy[begin[c], 1] - y) ** 2
                    if d < best:
                        best = d
                        nearest = c
            if best > limit * limit:
                if found == gaps.shape[0]:
                    wider = np.empty((2 * found, 4))
                    wider[:found] = gaps
                    gaps = wider
                gaps[found, 0] = layer
                gaps[found, 1] = np.sqrt(best)
                gaps[found, 2] = x
                gaps[found, 3] = y
                found += 1
            if nearest < 0:
                break
            used[nearest] = True
            chain = nearest
        if found > before and _is_sheet(points, loop[loops], w, gaps[found - 1, 1]):
            # A surface without a thickness, inside or out, holds nothing: it is no gap.
            found = before
            w = loop[loops]
            continue
        loops += 1
        loop[loops] = w
    return loops, gaps, found


@kernel
def _is_sheet(points, first, last, gap):  # type: ignore[no-untyped-def]
    """Whether a chain closed over a gap holds no area to speak of."""
    area = 0.0
    j = last - 1
    for i in range(first, last):
        area += points[j, 0] * points[i, 1] - points[i, 0] * points[j, 1]
        j = i
    return abs(0.5 * area) < SHEET * gap
