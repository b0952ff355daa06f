"""The order of all lines of a layer: island by island, in each contour by contour, then what lies within the walls."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.nearest import nearest_order
from even_step.core.plane.trace import is_inside
from even_step.core.slicing.row_order import sequence
from even_step.core.slicing.wall_order import boxes_of, contours_of, seam_of

WALLS, LOOSE, ROWS = 0, 1, 2  # groups of lines: closed walls, lines in any order, from here on lines laid row by row


@kernel
def islands_of(xy, start, chain, chains, shell_xy, shell_start):  # type: ignore[no-untyped-def]
    """Say in which shell each chain of lines begins: in the smallest round its first point, (chains,)."""
    shells = shell_start.shape[0] - 1
    out = np.zeros(chains, np.int64)
    if shells < 2:
        return out
    box = boxes_of(shell_xy, shell_start, shells)
    for c in range(chains):
        x, y = xy[start[chain[c]], 0], xy[start[chain[c]], 1]
        best = nearest = np.inf
        other = 0
        found = False
        for s in range(shells):
            out_x = max(box[s, 0] - x, x - box[s, 1], 0.0)
            out_y = max(box[s, 2] - y, y - box[s, 3], 0.0)
            if out_x + out_y > 0.0:
                if out_x + out_y < nearest:
                    nearest = out_x + out_y
                    other = s
                continue
            size = (box[s, 1] - box[s, 0]) * (box[s, 3] - box[s, 2])
            if size < best and is_inside(x, y, shell_xy, shell_start[s], shell_start[s + 1]):
                best = size
                out[c] = s
                found = True
        if not found:
            out[c] = other
    return out


@kernel
def _listed(key, count, keys):  # type: ignore[no-untyped-def]
    """Sort numbers by their key, stable; returns where each key's numbers begin, and the numbers."""
    first = np.zeros(keys + 1, np.int64)
    for i in range(count):
        first[key[i] + 1] += 1
    for k in range(keys):
        first[k + 1] += first[k]
    fill = first[:keys].copy()
    out = np.empty(count, np.int64)
    for i in range(count):
        out[fill[key[i]]] = i
        fill[key[i]] += 1
    return first, out


@kernel
def _ends_of(xy, start, chain, some, m, ends):  # type: ignore[no-untyped-def]
    """Put the two ends of some chains into ``ends``."""
    for k in range(m):
        a, b = start[chain[some[k]]], start[chain[some[k] + 1]] - 1
        ends[k, 0], ends[k, 1] = xy[a, 0], xy[a, 1]
        ends[k, 2], ends[k, 3] = xy[b, 0], xy[b, 1]


@kernel
def _take(chain, c, flipped, turn, begin, follows, done):  # type: ignore[no-untyped-def]
    """Put down the lines of a chain, last first where it is run backward; returns how many are down."""
    a, b = chain[c], chain[c + 1]
    for j in range(b - a):
        turn[done] = b - 1 - j if flipped else a + j
        begin[done] = 1 if flipped else 0
        follows[done] = j > 0
        done += 1
    return done


@kernel
def _rings(  # type: ignore[no-untyped-def]
    xy, start, level, contour, some, m, inner_first, seam, begins, x, y, turn, begin, done
):
    """Put down the walls of an island: contour by contour, each from inside out or from outside in."""
    order, flip = np.empty(m, np.int64), np.empty(m, np.int64)
    ends = np.empty((m, 4))
    heads, now = np.empty(m, np.int64), np.empty(m, np.int64)
    at = np.empty(m, np.int64)
    after = np.full(m, -1, np.int64)
    tail = np.empty(m, np.int64)
    count = 0
    for k in range(m):
        r = some[k]
        if contour[r] == r:
            heads[count] = tail[count] = k
            at[k] = seam_of(xy, start[r], start[r + 1], 0, 0, x, y) if seam == 0 else begins[r]
            ends[count, 0] = ends[count, 2] = xy[at[k], 0]
            ends[count, 1] = ends[count, 3] = xy[at[k], 1]
            count += 1
        else:
            h = 0
            while h < count and some[heads[h]] != contour[r]:
                h += 1
            after[tail[h]] = k
            tail[h] = k
    nearest_order(ends, count, x, y, order, flip)
    visit = order[:count].copy()
    for v in range(count):
        head = heads[visit[v]]
        deepest = 0
        k = head
        while k >= 0:
            deepest = max(deepest, level[some[k]])
            k = after[k]
        for step in range(deepest + 1):
            wanted = deepest - step if inner_first else step
            n = 0
            k = head
            while k >= 0:
                r = some[k]
                if level[r] == wanted or (k == head and step == deepest and not inner_first and level[r] > wanted):
                    at[k] = seam_of(xy, start[r], start[r + 1], 0, 0, x, y) if seam == 0 else begins[r]
                    ends[n, 0] = ends[n, 2] = xy[at[k], 0]
                    ends[n, 1] = ends[n, 3] = xy[at[k], 1]
                    now[n] = k
                    n += 1
                k = after[k]
            if n == 0:
                continue
            nearest_order(ends, n, x, y, order, flip)
            for j in range(n):
                k = now[order[j]]
                r = some[k]
                turn[done], begin[done] = r, at[k] - start[r]
                x, y = xy[at[k], 0], xy[at[k], 1]
                done += 1
    return x, y, done


@kernel
def order_layer(  # type: ignore[no-untyped-def]
    xy, start, linked, level, group, before, after, shell_xy, shell_start, inner_first, seam, seed, x, y
):
    """Order the lines of a layer from a point.

    ``level`` is that of a closed wall, −1 for what is open; ``group`` says whether a line is a wall, loose, or of which
    rows; walls come first. Of each pair of chains the one in ``before`` must come before the one in ``after``.
    Returns the numbers of the lines in turn, where each begins (a wall: which of its points; what is open: 1 for its
    far end), whether it follows on the one before, and where the last ends.
    """
    paths = start.shape[0] - 1
    turn, begin = np.empty(paths, np.int64), np.zeros(paths, np.int64)
    follows = np.zeros(paths, np.bool_)
    chain = np.empty(paths + 1, np.int64)
    chains = rings = 0
    groups = ROWS
    for p in range(paths):
        if not linked[p]:
            chain[chains] = p
            chains += 1
        if group[p] == WALLS:
            rings += 1
        groups = max(groups, group[p] + 1)
    chain[chains] = paths
    island = islands_of(xy, start, chain, chains, shell_xy, shell_start)
    islands = max(1, shell_start.shape[0] - 1)
    contour = contours_of(xy, start, rings, level, island)
    begins = np.zeros(rings, np.int64)
    if seam != 0:
        for r in range(rings):
            begins[r] = seam_of(xy, start[r], start[r + 1], seam, seed + r, x, y)
    key = np.empty(chains, np.int64)
    middle, number = np.empty((islands, 4)), np.zeros(islands, np.int64)
    for c in range(chains):
        key[c] = island[c] * groups + group[chain[c]]
        i = start[chain[c]]
        if number[island[c]] == 0:  # where an island's walls begin is where it is visited
            middle[island[c], 0] = middle[island[c], 2] = xy[i, 0]
            middle[island[c], 1] = middle[island[c], 3] = xy[i, 1]
        number[island[c]] += 1
    first, listed = _listed(key, chains, islands * groups)
    pair_key = np.empty(before.shape[0], np.int64)
    for k in range(before.shape[0]):
        same = island[before[k]] == island[after[k]]
        pair_key[k] = key[after[k]] if same else islands * groups
    pair_first, pairs = _listed(pair_key, before.shape[0], islands * groups + 1)
    most = max(chains, islands) + 1
    order, flip = np.empty(most, np.int64), np.empty(most, np.int64)
    ends = np.empty((most, 4))
    live = np.empty(islands, np.int64)
    count = 0
    for i in range(islands):
        if number[i] > 0:
            live[count] = i
            for j in range(4):
                ends[count, j] = middle[i, j]
            count += 1
    nearest_order(ends, count, x, y, order, flip)
    visit = order[:count].copy()
    done = 0
    for v in range(count):
        at = live[visit[v]] * groups
        some = listed[first[at] : first[at + 1]]
        if some.shape[0] > 0:
            x, y, done = _rings(
                xy, start, level, contour, some, some.shape[0], inner_first, seam, begins, x, y, turn, begin, done
            )
        for g in range(LOOSE, groups):
            some = listed[first[at + g] : first[at + g + 1]]
            m = some.shape[0]
            if m == 0:
                continue
            _ends_of(xy, start, chain, some, m, ends)
            if g == LOOSE:
                x, y = nearest_order(ends, m, x, y, order, flip)
            else:
                x, y = sequence(
                    some, m, before, after, pairs[pair_first[at + g] : pair_first[at + g + 1]], ends, x, y, order
                )
                flip[:m] = 0
            for k in range(m):
                done = _take(chain, some[order[k]], flip[k] == 1, turn, begin, follows, done)
    return turn, begin, follows, x, y


@kernel
def laid_out(xy, width, start, level, turn, begin):  # type: ignore[no-untyped-def]
    """Write lines down in turn: points (a closed wall's first repeated at the end), widths to the next, starts."""
    paths = turn.shape[0]
    room = xy.shape[0]
    for p in range(paths):
        if level[p] >= 0:
            room += 1
    points, wide = np.empty((room, 2)), np.empty(room)
    starts = np.zeros(paths + 1, np.int64)
    w = 0
    for k in range(paths):
        p = turn[k]
        a, size = start[p], start[p + 1] - start[p]
        closed = level[p] >= 0
        for i in range(size + 1 if closed else size):
            q = a + (begin[k] + i) % size if closed else (a + size - 1 - i if begin[k] == 1 else a + i)
            points[w, 0], points[w, 1] = xy[q, 0], xy[q, 1]
            # Run backward, the stretch to the next point is the one that led here.
            wide[w] = width[max(q - 1, a)] if begin[k] == 1 and not closed else width[q]
            w += 1
        starts[k + 1] = w
    return points, wide, starts
