"""One layer from its lines to its paths: put in order, parted by hold and by width, with the ways between them."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.segments import edges_of, grid_of
from even_step.core.slicing.hold_parts import parted_by_hold
from even_step.core.slicing.island_order import ROWS, laid_out, order_layer
from even_step.core.slicing.row_order import rows_beside
from even_step.core.slicing.ways import plan_ways
from even_step.core.slicing.width_parts import parted_by_width
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL

CELL = 1.0  # mm, of the grid that finds the edge below


@kernel
def ordered_layer(stock, pieces, group, rings, bounds, how, ways, x, y):  # type: ignore[no-untyped-def]
    """Order a layer's lines from a point.

    In one kernel, for a hundred short steps of the interpreter would keep the other threads waiting.

    ``stock``, ``pieces`` (S, 2) and ``group`` are those of a ``Stock``; ``rings`` are points, starts and polygons of
    all outlines, ``bounds`` say from which ring to which reach the layer's outline and the one below (from −1 where all
    is held). ``how`` is whether inner walls come first, where walls begin, a seed for that, and from which share of its
    width on a line counts as held; ``ways`` whether they are planned, and their limits. Returns points, starts, roles,
    widths, heights, tenths that are held, whether the way to each path stays inside, the points passed on the ways,
    where those begin, and where the last path ends.
    """
    inner_first, seam, seed, hangs_from = how
    xy, width, start, role, height, linked, level, of_group = _gathered(stock, pieces, group)
    before, after = _pairs(xy, start, linked, of_group)
    ring_xy, ring_start, polygon = rings
    own = ring_start[bounds[0] : bounds[1] + 1]
    shell_xy, shell_start = _shells(ring_xy, own, polygon[bounds[0] : bounds[1]])
    turn, begin, follows, x, y = order_layer(
        xy, start, linked, level, of_group, before, after, shell_xy, shell_start, inner_first, seam, seed, x, y
    )
    points, wide, begins = laid_out(xy, width, start, level, turn, begin)
    held, origin = np.full(turn.shape[0], ALL_HELD, np.uint8), np.arange(turn.shape[0])
    if bounds[2] >= 0:
        asked = np.empty(turn.shape[0], np.bool_)
        for k in range(turn.shape[0]):
            its = role[turn[k]]
            asked[k] = its == OUTER_WALL or its == INNER_WALL or its == GAP_FILL
        edges = edges_of(ring_xy, ring_start[bounds[2] : bounds[3] + 1])
        frame, first, item = grid_of(edges, CELL)
        near = (edges, frame, first, item)
        points, wide, begins, held, origin = parted_by_hold(points, begins, wide, asked, near, hangs_from)
    points, begins, mean, piece = parted_by_width(points, begins, wide)
    count = piece.shape[0]
    its_role, its_width, its_height = (
        np.empty(count, np.uint8),
        np.empty(count, np.float32),
        np.empty(count, np.float32),
    )
    tenths, inside = np.empty(count, np.uint8), np.empty(count, np.bool_)
    for k in range(count):
        line = turn[origin[piece[k]]]
        its_role[k], its_height[k], tenths[k] = role[line], height[line], held[piece[k]]
        its_width[k] = np.rint(mean[k] * 1000.0) / 1000.0
        inside[k] = follows[origin[piece[k]]] or (k > 0 and origin[piece[k]] == origin[piece[k - 1]])
    via, via_start = np.empty((0, 2)), np.zeros(count + 1, np.int64)
    planned, least, detour, longest, by = ways
    if planned:
        via, via_start = plan_ways(points, begins, inside, ring_xy, own, least, detour, longest, by)
    return points, begins, its_role, its_width, its_height, tenths, inside, via, via_start, x, y


@kernel
def _gathered(stock, pieces, group):  # type: ignore[no-untyped-def]
    """Copy the lines of a layer into arrays of their own, with the group of each."""
    xy, width, start, role, height, linked, level = stock
    paths, size = 0, 0
    for s in range(pieces.shape[0]):
        paths += pieces[s, 1] - pieces[s, 0]
        size += start[pieces[s, 1]] - start[pieces[s, 0]]
    points, wide, begin = np.empty((size, 2)), np.empty(size), np.zeros(paths + 1, np.int64)
    its_role, its_height = np.empty(paths, np.int64), np.empty(paths)
    follows, its_level = np.empty(paths, np.bool_), np.empty(paths, np.int64)
    of_group = np.empty(paths, np.int64)
    n, w = 0, 0
    for s in range(pieces.shape[0]):
        a, b = pieces[s, 0], pieces[s, 1]
        for p in range(a, b):
            its_role[n], its_height[n], its_level[n] = role[p], height[p], level[p]
            of_group[n], follows[n] = group[s], linked[p] and p > a
            for i in range(start[p], start[p + 1]):
                points[w, 0], points[w, 1], wide[w] = xy[i, 0], xy[i, 1], width[i]
                w += 1
            n += 1
            begin[n] = w
    return points, wide, begin, its_role, its_height, follows, its_level, of_group


@kernel
def _pairs(xy, start, linked, group):  # type: ignore[no-untyped-def]
    """Return which chains of rows must come before which."""
    paths = group.shape[0]
    chain = np.empty(paths, np.int64)
    chains = -1
    first = paths
    for p in range(paths):
        chains += not linked[p]
        chain[p] = chains
        if group[p] >= ROWS:
            first = min(first, p)
    room = 2 * (start[paths] - start[first])
    before, after = np.empty(room, np.int64), np.empty(room, np.int64)
    done = 0
    while first < paths:
        last = first
        while last < paths and group[last] == group[first]:
            last += 1
        done = rows_beside(xy, start[first : last + 1], chain[first:last], before, after, done)
        first = last
    return before[:done], after[:done]


@kernel
def _shells(xy, start, polygon):  # type: ignore[no-untyped-def]
    """Return points and starts of the outermost rings of an outline; no points where there is one shell."""
    rings = polygon.shape[0]
    shells, size = 0, 0
    for r in range(rings):
        if r == 0 or polygon[r] != polygon[r - 1]:
            shells += 1
            size += start[r + 1] - start[r]
    begin = np.zeros(shells + 1, np.int64)
    if shells == 1:  # all lies in it, whatever its points are
        return np.empty((0, 2)), begin
    points = np.empty((size, 2))
    n, w = 0, 0
    for r in range(rings):
        if r == 0 or polygon[r] != polygon[r - 1]:
            points[w : w + start[r + 1] - start[r]] = xy[start[r] : start[r + 1]]
            w += start[r + 1] - start[r]
            n += 1
            begin[n] = w
    return points, begin
