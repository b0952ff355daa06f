"""The middle lines of narrow regions, with how far their walls are.

A narrow region is cut into triangles whose corners lie close together on its outline. The middles of the
inner edges, joined from triangle to triangle, run along the region's middle (chordal axis; Prasad, "Morphological
analysis of shapes", 1997). What leads from it into corners is cut off: such a branch lies within the largest
circle at its root. What remains is the part of the medial axis that Kuipers et al. ("A framework for adaptive
width control of dense contour-parallel toolpaths in fused deposition modeling", 2020) call central: its walls
face each other.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.fork import walk, ways_of
from even_step.core.plane.ragged import Index, Points, Rings
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import edges_of, first_met, grid_of, nearest_edge

ON_WALL = 0.006  # mm, an edge this near the region's outline lies on it
WITHIN_CIRCLE = 1.45  # times the circle's radius: the corner of a square end is 1.41 away
MUCH_WIDER = 0.7  # what is less than this share as wide as a circle and within it is the circle's corner
STEEP = 0.39  # how much the distance to the walls may change along a middle line towards its free end
STUB = 0.05  # mm, what is about as long as wide gets a line so long
AHEAD = 0.7  # cosine: a wall that a line meets more steeply than this is the end of the narrow place


_Line: TypeAlias = tuple[Points, NDArray[np.float64], NDArray[np.bool_]]


@dataclass(frozen=True, eq=False)
class Axes:
    """Middle lines of some narrow regions.

    Attributes
    ----------
    xy : (N, 2) float64
        mm; a closed line repeats its first point.
    radius : (N,) float64
        How far the walls are, mm.
    start : (P + 1,) int64
        Where each line begins.
    item : (P,) int64
        Which region a line lies in, not falling.
    free : (P, 2) bool
        Whether its beginning and its end are ends of the narrow place.
    """

    xy: Points
    radius: NDArray[np.float64]
    start: Index
    item: Index
    free: NDArray[np.bool_]


def axes(narrow: Regions, walls: Rings, widest: float, spacing: float) -> Axes:
    """Find the middle lines of narrow regions.

    Parameters
    ----------
    narrow
        Regions, mm; what of some larger regions is narrow. They may be open toward the rest.
    walls : Rings
        Outlines of the larger regions, by the same numbers.
    widest
        No narrow region is wider than this, mm.
    spacing
        How far apart points lie along the outline, mm.
    """
    parts, owner = region.pieces(narrow)
    corners, of_part = region.triangles(parts, spacing)
    of_item = walls.starts_by_item(len(narrow))
    pieces: list[_Line] = []
    items: list[int] = []
    first = np.searchsorted(of_part, np.arange(len(parts) + 1))
    for item in np.unique(owner):
        begin, end = of_item[item], of_item[item + 1]
        edges = edges_of(walls.xy, walls.start[begin : end + 1])
        frame, cell, inside = grid_of(edges, widest)
        for part in np.flatnonzero(owner == item):
            some = corners[first[part] : first[part + 1]]
            if len(some) == 0:
                continue
            found = _axis_of(some, edges, frame, cell, inside, widest)
            pieces += found
            items += [int(item)] * len(found)
    counts = np.array([len(piece[0]) for piece in pieces], np.int64)
    return Axes(
        np.concatenate([piece[0] for piece in pieces]) if pieces else np.empty((0, 2)),
        np.concatenate([piece[1] for piece in pieces]) if pieces else np.empty(0),
        np.concatenate((np.zeros(1, np.int64), np.cumsum(counts))).astype(np.int64),
        np.array(items, np.int64),
        np.array([piece[2] for piece in pieces], np.bool_).reshape(-1, 2),
    )


def _axis_of(
    corners: NDArray[np.float64],
    edges: NDArray[np.float64],
    frame: NDArray[np.float64],
    cell: Index,
    inside: Index,
    widest: float,
) -> list[_Line]:
    """Return the middle lines of one piece cut into triangles, (T, 3, 2)."""
    flat = np.round(corners.reshape(-1, 2) * 1000).astype(np.int64)
    keys = (flat[:, 0] << 31) + flat[:, 1]
    _, where, vertex = np.unique(keys, return_index=True, return_inverse=True)
    points = corners.reshape(-1, 2)[where]
    vertex = vertex.reshape(-1, 3)
    sides = np.stack((vertex, np.roll(vertex, -1, axis=1)), axis=2).reshape(-1, 2)
    sides.sort(axis=1)
    side_keys = sides[:, 0] * len(points) + sides[:, 1]
    _, first, side, count = np.unique(side_keys, return_index=True, return_inverse=True, return_counts=True)
    middle = (points[sides[first, 0]] + points[sides[first, 1]]) / 2
    radius = _distances(middle, edges, frame, cell, inside, widest)
    open_ = count == 2
    _open_doors(sides[first], (count == 1) & (radius > ON_WALL), radius, len(points), open_)
    node, link, door = _graph(side.reshape(-1, 3), open_, count, middle, points[vertex].mean(axis=1))
    if len(link) == 0:
        return []
    far = _distances(node, edges, frame, cell, inside, widest)
    begin, beside = _beside(link, len(node))
    kept = _kept(node, far, begin, beside, door)
    way, start = walk(node, far, begin, beside, kept)
    free = ways_of(begin, beside, kept) == 1
    out = []
    for a, b in pairwise(start.tolist()):
        line = way[a:b]
        xy, wide = _through_doors(node[line], far[line], door[line[[0, -1]]])
        ends = free[line[[0, -1]]] & ~door[line[[0, -1]]]
        out.append((_to_end(xy, wide, ends, edges, frame, cell, inside), wide, ends))
    length = sum(float(np.hypot(*np.diff(xy, axis=0).T).sum()) for xy, _, _ in out)
    return out if length >= STUB else _stub(node, far)


def _stub(node: Points, far: NDArray[np.float64]) -> list[_Line]:
    """Return a short line through the widest place, the long way of a piece that has no other."""
    widest = int(np.argmax(far))
    off = node - node.mean(axis=0)
    _, along = np.linalg.eigh(off.T @ off)
    step = along[:, 1] * STUB / 2
    return [(np.stack((node[widest] - step, node[widest] + step)), far[[widest, widest]], np.ones(2, np.bool_))]


@kernel
def _to_end(xy, far, free, edges, frame, first, item):  # type: ignore[no-untyped-def]
    """Move free ends to where the wall ahead is as far as the walls beside."""
    out = xy.copy()
    count = xy.shape[0]
    for side in range(2):
        if not free[side] or count < 3:
            continue
        at = 0 if side == 0 else count - 1
        before = 2 if side == 0 else count - 3
        dx, dy = xy[at, 0] - xy[before, 0], xy[at, 1] - xy[before, 1]
        size = np.hypot(dx, dy)
        reach = far[before]
        if size == 0.0 or reach == 0.0:
            continue
        dx, dy = dx / size, dy / size
        ahead, e = first_met(edges, frame, first, item, xy[before, 0], xy[before, 1], dx, dy, size + 2.0 * reach)
        if e < 0:
            continue
        ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
        if abs(dx * uy - dy * ux) > AHEAD * np.hypot(ux, uy) and ahead > reach:
            middle = 1 if side == 0 else count - 2
            out[at, 0], out[at, 1] = xy[before, 0] + dx * (ahead - reach), xy[before, 1] + dy * (ahead - reach)
            out[middle, 0], out[middle, 1] = 0.5 * (out[at, 0] + xy[before, 0]), 0.5 * (out[at, 1] + xy[before, 1])
            far[at] = far[middle] = reach
    return out


def _through_doors(xy: Points, far: NDArray[np.float64], door: NDArray[np.bool_]) -> tuple[Points, NDArray[np.float64]]:
    """Let a line run straight where it leaves the narrow place, for there the triangles lean to one side."""
    if door[1]:
        xy, far = _straight_end(xy, far)
    if door[0]:
        xy, far = (one[::-1] for one in _straight_end(xy[::-1], far[::-1]))
    return xy, far


def _straight_end(xy: Points, far: NDArray[np.float64]) -> tuple[Points, NDArray[np.float64]]:
    """Make the last stretch, as long as the place is wide, straight."""
    to_end = np.concatenate((np.cumsum(np.hypot(*np.diff(xy, axis=0).T)[::-1])[::-1], [0.0]))
    near = int(np.searchsorted(-to_end, -2.0 * far[-1])) - 1
    before = int(np.searchsorted(-to_end, -4.0 * far[-1])) - 1
    if near < 1 or before < 0:
        return xy, far
    ahead = xy[near] - xy[before]
    size = float(np.hypot(*ahead))
    if size <= 0.0:
        return xy, far
    on = float((xy[-1] - xy[near]) @ ahead) / size
    end = xy[near] + ahead / size * max(on, 0.0)
    return np.vstack((xy[: near + 1], end)), np.append(far[: near + 1], far[near])


@kernel
def _distances(points, edges, frame, first, item, reach):  # type: ignore[no-untyped-def]
    out = np.empty(points.shape[0])
    for i in range(points.shape[0]):
        out[i] = nearest_edge(edges, frame, first, item, points[i, 0], points[i, 1], reach)
    return out


@kernel
def _graph(side, open_, count, middle, centre):  # type: ignore[no-untyped-def]
    """Join the middles of open sides through the triangles; returns nodes, links, and which nodes are doors."""
    sides, triangles = open_.shape[0], side.shape[0]
    number = np.full(sides, -1, np.int64)
    node = np.empty((sides + triangles, 2))
    door = np.zeros(sides + triangles, np.bool_)
    link = np.empty((3 * triangles, 2), np.int64)
    n = 0
    m = 0
    for s in range(sides):
        if open_[s]:
            number[s] = n
            node[n, 0], node[n, 1] = middle[s, 0], middle[s, 1]
            door[n] = count[s] == 1
            n += 1
    for t in range(triangles):
        ways = 0
        for k in range(3):
            if open_[side[t, k]]:
                ways += 1
        if ways == 2:
            a = -1
            for k in range(3):
                if open_[side[t, k]]:
                    if a < 0:
                        a = number[side[t, k]]
                    else:
                        link[m, 0], link[m, 1] = a, number[side[t, k]]
                        m += 1
        elif ways == 3:
            node[n, 0], node[n, 1] = centre[t, 0], centre[t, 1]
            for k in range(3):
                link[m, 0], link[m, 1] = n, number[side[t, k]]
                m += 1
            n += 1
    return node[:n].copy(), link[:m].copy(), door[:n].copy()


@kernel
def _open_doors(side, door, radius, points, open_):  # type: ignore[no-untyped-def]
    """Open one side of each run of sides that lead out of the narrow place: the one farthest from the walls."""
    root = np.arange(points)
    for s in range(side.shape[0]):
        if door[s]:
            a, b = side[s, 0], side[s, 1]
            while root[a] != a:
                a = root[a]
            while root[b] != b:
                b = root[b]
            root[max(a, b)] = min(a, b)
    best = np.full(points, -1, np.int64)
    for s in range(side.shape[0]):
        if door[s]:
            a = side[s, 0]
            while root[a] != a:
                a = root[a]
            if best[a] < 0 or radius[s] > radius[best[a]]:
                best[a] = s
    for a in range(points):
        if best[a] >= 0:
            open_[best[a]] = True
    return 0


@kernel
def _beside(link, count):  # type: ignore[no-untyped-def]
    """Return where each node's neighbours begin, and the neighbours."""
    begin = np.zeros(count + 1, np.int64)
    for m in range(link.shape[0]):
        begin[link[m, 0] + 1] += 1
        begin[link[m, 1] + 1] += 1
    for i in range(count):
        begin[i + 1] += begin[i]
    fill = begin[:count].copy()
    beside = np.empty(begin[count], np.int64)
    for m in range(link.shape[0]):
        a, b = link[m, 0], link[m, 1]
        beside[fill[a]] = b
        beside[fill[b]] = a
        fill[a] += 1
        fill[b] += 1
    return begin, beside


@kernel
def _is_corner(at, node, far, begin, beside, kept, seen, turn):  # type: ignore[no-untyped-def]
    """Whether a free end lies in a corner of a much wider circle not far along the middle line."""
    queue = np.empty(64, np.int64)
    queue[0] = at
    seen[at] = turn
    head, tail = 0, 1
    while head < tail:
        i = queue[head]
        head += 1
        for k in range(begin[i], begin[i + 1]):
            j = beside[k]
            if not kept[j] or seen[j] == turn or tail >= 64:
                continue
            seen[j] = turn
            away = np.hypot(node[j, 0] - node[at, 0], node[j, 1] - node[at, 1])
            if away + far[at] < WITHIN_CIRCLE * far[j] and far[at] < MUCH_WIDER * far[j]:
                return True
            queue[tail] = j
            tail += 1
    return False


@kernel
def _kept(node, far, begin, beside, door):  # type: ignore[no-untyped-def]
    """Say which nodes remain when corners are cut off, and free ends where the wall ahead is the nearest."""
    count = node.shape[0]
    kept = np.ones(count, np.bool_)
    degree = np.empty(count, np.int64)
    stack = np.empty(count + 1, np.int64)
    seen = np.full(count, -1, np.int64)
    turn = 0
    for steep in range(2):
        top = 0
        for i in range(count):
            degree[i] = 0
            for k in range(begin[i], begin[i + 1]):
                if kept[i] and kept[beside[k]]:
                    degree[i] += 1
            if kept[i] and degree[i] == 1 and not door[i]:
                stack[top] = i
                top += 1
        while top > 0:
            top -= 1
            i = stack[top]
            on = -1
            for k in range(begin[i], begin[i + 1]):
                if kept[beside[k]]:
                    on = beside[k]
            if on < 0:
                continue
            if steep == 1:
                step = np.hypot(node[on, 0] - node[i, 0], node[on, 1] - node[i, 1])
                cut = far[on] - far[i] > STEEP * step
            else:
                turn += 1
                cut = _is_corner(i, node, far, begin, beside, kept, seen, turn)
            if cut:
                kept[i] = False
                degree[on] -= 1
                if degree[on] == 1 and not door[on]:
                    stack[top] = on
                    top += 1
    return kept
