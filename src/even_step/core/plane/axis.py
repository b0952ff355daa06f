"""The middle lines of narrow regions, with how far their walls are.

A narrow region is cut into triangles whose corners lie close together on its outline. The middles of the
inner edges, joined from triangle to triangle, run along the region's middle (chordal axis; Prasad, "Morphological
analysis of shapes", 1997). What leads from it into corners is cut off: such a branch lies within the largest
circle at its root. What remains is the part of the medial axis that Kuipers et al. ("A framework for adaptive
width control of dense contour-parallel toolpaths in fused deposition modeling", 2020) call central: its walls
face each other.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import cut, region
from even_step.core.plane.axis_ends import finished
from even_step.core.plane.delaunay import numbered, refined
from even_step.core.plane.fork import walk, ways_of
from even_step.core.plane.ragged import Index, Points, Rings, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import grids_of

ON_WALL = 0.006  # mm, an edge this near the region's outline lies on it
WITHIN_CIRCLE = 1.45  # times the circle's radius: the corner of a square end is 1.41 away
MUCH_WIDER = 0.7  # what is less than this share as wide as a circle and within it is the circle's corner
BESIDE = 0.01  # mm, by which a line may be wider than the wall beside it is near
STEEP = 0.39  # how much the distance to the walls may change along a middle line towards its free end


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
    rough : (P,) bool
        Whether its points lie to and fro about the middle.
    """

    xy: Points
    radius: NDArray[np.float64]
    start: Index
    item: Index
    free: NDArray[np.bool_]
    rough: NDArray[np.bool_]

    def taken(self, order: Index) -> Axes:
        """Return some lines, or all, in an order."""
        count = np.diff(self.start)[order]
        start = starts_of(count)
        place = np.repeat(self.start[:-1][order] - start[:-1], count) + np.arange(int(start[-1]))
        return Axes(self.xy[place], self.radius[place], start, self.item[order], self.free[order], self.rough[order])

    def by_item(self) -> Axes:
        """Return the lines by their items."""
        return self.taken(np.argsort(self.item, kind="stable"))


def axes_joined(many: list[tuple[Axes, Index]]) -> Axes:
    """Put middle lines one after the other, each set with its own items."""
    return Axes(
        np.concatenate([lines.xy for lines, _ in many]),
        np.concatenate([lines.radius for lines, _ in many]),
        joined_starts([lines.start for lines, _ in many]),
        np.concatenate([item for _, item in many]),
        np.concatenate([lines.free for lines, _ in many]),
        np.concatenate([lines.rough for lines, _ in many]),
    )


@dataclass(frozen=True, eq=False)
class MovedIn:
    """Outlines moved in, and where narrow regions are open.

    Attributes
    ----------
    deep : float
        By how much, mm.
    openings : (n, 4) float64
        From side to side, mm; each region's from ``start`` on.
    half, back : float
        How far the walls are where a region is open to where it is thicker, and how far from there its lines end, mm.
    """

    deep: float
    openings: NDArray[np.float64]
    start: Index
    half: float
    back: float


@dataclass(frozen=True, eq=False)
class _Net:
    """Triangles of some parts, joined along their sides.

    Attributes
    ----------
    points : int
        How many corners there are.
    ends : (S, 2) int64
        Corners of each side.
    middle : (S, 2) float64
        Its middle, mm.
    part : (S,) int64
        Which part it is of, not falling.
    once : (S,) bool
        Whether it is a side of one triangle alone.
    side : (T, 3) int64
        Sides of each triangle.
    """

    points: int
    ends: Index
    middle: Points
    part: Index
    once: NDArray[np.bool_]
    side: Index


def axes(narrow: Regions, walls: Rings, widest: float, spacing: float, moved: MovedIn | None = None) -> Axes:
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
    moved
        How the larger regions' outlines are moved in, and where the narrow ones are open toward the rest; without it
        wherever their outlines leave those of the larger.
    """
    parts, owner = region.pieces(narrow)
    corners, of_part = refined(*cut.triangles(parts), spacing)
    if len(corners) == 0:
        none = np.empty(0, np.int64)
        return Axes(
            np.empty((0, 2)),
            np.empty(0),
            np.zeros(1, np.int64),
            none,
            np.empty((0, 2), np.bool_),
            np.empty(0, np.bool_),
        )
    grids = grids_of(walls, np.unique(owner[of_part]), len(narrow), widest)
    net = _net(corners, of_part)
    deep = moved.deep if moved else 0.0
    ends = (moved.half, moved.back) if moved else (np.inf, 0.0)
    reach = widest + deep
    radius = grids.distances(net.middle, owner[net.part], reach) - deep
    open_ = ~net.once
    doors = net.once & (radius > ON_WALL)
    if moved:
        asked = np.flatnonzero(doors)
        doors[asked] = _on_openings(net.middle[asked], owner[net.part[asked]], moved.openings, moved.start)
    _open_doors(net.ends, doors, radius, net.points, open_)
    centre = corners.mean(axis=1)
    node, link, door, crossing = _graph(net.side, open_, net.once, net.middle, centre)
    part = np.concatenate((net.part[open_], of_part[crossing]))
    far = np.concatenate((radius[open_], grids.distances(centre[crossing], owner[of_part[crossing]], reach) - deep))
    begin, beside = _beside(link, len(node))
    kept = _kept(node, far, begin, beside, door)
    way, start = walk(node, far, begin, beside, kept)
    end = ways_of(begin, beside, kept) == 1
    xy, radius, start, part, free = finished(
        node, far, part, door, end, begin, way, start, grids.arrays, grids.slot[owner], deep, ends
    )
    # A line that was led straight out of the narrow place may pass a corner closely.
    room = grids.distances(xy, owner[np.repeat(part, np.diff(start))], reach) - deep
    rough = np.ones(len(part), np.bool_)
    lines = Axes(xy, np.minimum(radius, room + BESIDE), start, part, free, rough).by_item()
    return replace(lines, item=owner[lines.item])


def _net(corners: NDArray[np.float64], of_part: Index) -> _Net:
    """Number corners and sides of triangles (T, 3, 2), part by part."""
    points, vertex = numbered(corners, of_part)
    sides = np.stack((vertex, vertex[:, [1, 2, 0]]), axis=2).reshape(-1, 2)
    sides.sort(axis=1)
    keys = (sides[:, 0] << 32) + sides[:, 1]
    _, first, side, count = np.unique(keys, return_index=True, return_inverse=True, return_counts=True)
    ends = sides[first]
    middle = (points[ends[:, 0]] + points[ends[:, 1]]) / 2
    return _Net(len(points), ends, middle, of_part[first // 3], count == 1, side.reshape(-1, 3))


@kernel
def _on_openings(points, owner, openings, start):  # type: ignore[no-untyped-def]
    """Tell which points lie on an opening of their region."""
    out = np.zeros(points.shape[0], np.bool_)
    for i in range(points.shape[0]):
        for k in range(start[owner[i]], start[owner[i] + 1]):
            ax, ay = openings[k, 0], openings[k, 1]
            ux, uy = openings[k, 2] - ax, openings[k, 3] - ay
            px, py = points[i, 0] - ax, points[i, 1] - ay
            long = ux * ux + uy * uy
            share = min(max((px * ux + py * uy) / long, 0.0), 1.0) if long > 0.0 else 0.0
            if (px - share * ux) ** 2 + (py - share * uy) ** 2 < ON_WALL * ON_WALL:
                out[i] = True
                break
    return out


@kernel
def _graph(side, open_, once, middle, centre):  # type: ignore[no-untyped-def]
    """Join the middles of open sides through the triangles.

    Returns nodes, links, which nodes are doors, and the triangles where three ways meet, whose centres come last.
    """
    sides, triangles = open_.shape[0], side.shape[0]
    number = np.full(sides, -1, np.int64)
    node = np.empty((sides + triangles, 2))
    door = np.zeros(sides + triangles, np.bool_)
    link = np.empty((3 * triangles, 2), np.int64)
    crossing = np.empty(triangles, np.int64)
    n = 0
    m = 0
    c = 0
    for s in range(sides):
        if open_[s]:
            number[s] = n
            node[n, 0], node[n, 1] = middle[s, 0], middle[s, 1]
            door[n] = once[s]
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
            crossing[c] = t
            c += 1
    return node[:n].copy(), link[:m].copy(), door[:n].copy(), crossing[:c].copy()


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
