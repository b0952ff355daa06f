"""Regions cut into triangles and wedges, lines cut to regions, and regions made of lines."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.plane import region, valid
from even_step.core.plane.ragged import Index, Points, starts_of
from even_step.core.plane.region import Regions

Lengths = NDArray[np.float64]
SHORT = 1.0  # mm
REACH = 0.002  # mm, by which cells are widened for edges that lie on theirs to be within
BITE = 4.0  # mm
MANY = 16  # rings of a region, of which it is worth while to leave out some


def triangles(parts: Regions) -> tuple[NDArray[np.float64], Index]:
    """Cut single polygons into triangles.

    Returns
    -------
    corners : (T, 3, 2) float64
        mm.
    owner : (T,) int64
        Which polygon each came from, not falling.
    """
    try:
        cut = shapely.constrained_delaunay_triangles(parts)
    except shapely.errors.GEOSException:
        cut = np.array([_triangles(one) for one in parts], object)
    each, owner = shapely.get_parts(cut, return_index=True)
    return shapely.get_coordinates(each).reshape(-1, 4, 2)[:, :3], owner


def _triangles(part: shapely.Geometry) -> shapely.Geometry:
    """Cut one polygon; one that is too thin for the library's arithmetic leaves none."""
    try:
        return shapely.constrained_delaunay_triangles(part)
    except shapely.errors.GEOSException:
        return region.EMPTY


def wedges(part: shapely.Polygon, count: int) -> Regions:
    """Return wedges of equal angles that meet in the middle of a polygon's largest hole and reach past it, (count,).

    None for a polygon without a hole.
    """
    holes = shapely.polygons(shapely.get_rings(part)[1:])
    if len(holes) == 0:
        return region.nothing(0)
    middle = shapely.get_coordinates(shapely.centroid(holes[np.argmax(shapely.area(holes))]))[0]
    x0, y0, x1, y1 = shapely.bounds(part)
    reach = 2.0 * np.hypot(x1 - x0, y1 - y0)
    turn = 2 * np.pi * np.arange(count + 1) / count
    rim = middle + reach * np.stack((np.cos(turn), np.sin(turn)), axis=1)
    corners = np.stack((np.broadcast_to(middle, (count, 2)), rim[:-1], rim[1:]), axis=1)
    return np.asarray(shapely.polygons(corners), object)


def stroked(xy: Points, start: Index, width: NDArray[np.float64]) -> shapely.MultiPolygon:
    """Return what lines cover, each drawn with its width in mm and with round ends."""
    if len(start) < 2:
        return region.nothing(1)[0]
    lines = shapely.linestrings(xy, indices=np.repeat(np.arange(len(start) - 1), np.diff(start)))
    return region.union_all(shapely.buffer(lines, width / 2, quad_segs=4))


def reached(parts: Regions, owner: Index, xy: Points, start: Index, item: Index) -> NDArray[np.bool_]:
    """Tell which parts of some regions a line of the same region touches; ``item`` is the region of each line."""
    lines = np.asarray(shapely.linestrings(xy, indices=np.repeat(np.arange(len(item)), np.diff(start))), object)
    line, part = shapely.STRtree(parts).query(lines)
    same = np.flatnonzero(item[line] == owner[part])
    out = np.zeros(len(parts), np.bool_)
    out[part[same[shapely.intersects(parts[part[same]], lines[line[same]])]]] = True
    return out


def lines_cut(
    xy: Points, start: Index, owner: Index, regions: Regions, shortest: float
) -> tuple[Points, Index, Index, NDArray[np.bool_]]:
    """Cut each line to the region it is of; one that lies in it wholly stays as it is, to the bit.

    Returns
    -------
    xy, start
        Points of the pieces no shorter than ``shortest`` mm, on the grid, in the order of the lines.
    line : (P,) int64
        Which line each piece is of.
    whole : (P,) bool
        Whether it is all of it.
    """
    lines = np.asarray(shapely.linestrings(xy, indices=np.repeat(np.arange(len(owner)), np.diff(start))), object)
    regions = np.asarray(shapely.transform(regions, np.array), object)  # other threads may read those that were given
    shapely.prepare(regions)
    inside = shapely.covers(regions[owner], lines)
    some = np.flatnonzero(~inside & shapely.intersects(regions[owner], lines))
    near = _without_the_far(lines[some], regions, owner[some])
    parts, of = shapely.get_parts(_common(lines[some], near), return_index=True)
    long = (shapely.get_type_id(parts) == 1) & (shapely.length(parts) >= shortest)
    kept = np.flatnonzero(inside)
    line = np.concatenate((kept, some[of[long]]))
    order = np.argsort(line, kind="stable")
    points, piece = shapely.get_coordinates(np.concatenate((lines[kept], parts[long]))[order], return_index=True)
    points = np.round(points, valid.DECIMALS) + 0.0
    return points, np.searchsorted(piece, np.arange(len(order) + 1)).astype(np.int64), line[order], order < len(kept)


def _without_the_far(lines: Regions, regions: Regions, owner: Index) -> Regions:
    """Return the region of each line without parts and holes that the line cannot meet.

    What a cut costs grows with all edges of its region, and of 200 holes a line meets a few.
    """
    out = np.asarray(regions[owner], object)
    for number in np.unique(owner).tolist():
        parts = shapely.get_parts(regions[number])
        if len(parts) + int(shapely.get_num_interior_rings(parts).sum()) < MANY:
            continue
        rings, part = shapely.get_rings(parts, return_index=True)
        outer = np.append(True, np.diff(part) > 0)
        shells, holes, of_hole = rings[outer], rings[~outer], part[~outer]
        mine = np.flatnonzero(owner == number)
        xy, line = shapely.get_coordinates(lines[mine], return_index=True)
        goes_on = np.flatnonzero(np.diff(line) == 0)
        boxes, segment = _bites(xy[goes_on], xy[goes_on + 1])
        own = line[goes_on][segment]
        near_part, near_hole = (_met(boxes, own, some, len(mine)) for some in (parts, holes))
        for k, (some, within) in enumerate(zip(near_part, near_hole, strict=True)):
            kept = [shapely.polygons(shells[p], holes[within[of_hole[within] == p]]) for p in some.tolist()]
            out[mine[k]] = kept[0] if len(kept) == 1 else shapely.multipolygons(kept)
    return out


def _met(boxes: Regions, own: Index, shapes: Regions, count: int) -> list[Index]:
    """Return for each of ``count`` lines which shapes its boxes meet; ``own`` says of which line each box is."""
    box, shape = shapely.STRtree(shapes).query(boxes)
    pairs = np.unique(own[box] * np.int64(len(shapes) + 1) + shape)
    ends = np.searchsorted(pairs, np.arange(count + 1) * np.int64(len(shapes) + 1))
    return [pairs[a:b] % (len(shapes) + 1) for a, b in pairwise(ends)]


def _common(lines: Regions, regions: Regions | shapely.Geometry) -> Regions:
    """Return what of lines lies in regions; where the library fails at edges that nearly coincide, on the grid."""
    try:
        return np.asarray(shapely.intersection(lines, regions), object)
    except valid.LibraryError:
        return np.asarray(shapely.intersection(lines, regions, grid_size=valid.GRID), object)


def bands_along(outlines: Regions, cells: Regions, deep: float) -> Regions:
    """Return what of outlines belongs to the stretches of their edges that lie in cells, (n,).

    That is what lies within ``deep`` mm of a stretch, and across it where the outline is so narrow that what lies along
    its other side reaches as far; it ends square to the edge.
    """
    edges = shapely.boundary(outlines)
    stretch = shapely.line_merge(_common(edges, shapely.buffer(cells, REACH, quad_segs=1)))
    wide = region.offset_round(region.offset(outlines, -deep), deep)
    bands = (shapely.buffer(stretch, by, cap_style="flat", quad_segs=8) for by in (deep, 2 * deep))
    near, across = (region.intersection(valid.cleaned(band), outlines) for band in bands)
    return region.union(near, region.difference(across, wide))


def widths_of_pieces(
    lines: tuple[Points, Index], width: NDArray[np.float64], pieces: tuple[Points, Index], line: Index
) -> NDArray[np.float64]:
    """Return the width from each point of some pieces to the next, as the lines have it that they were cut from, mm.

    Parameters
    ----------
    lines, pieces
        Points and starts.
    width
        From each point of the lines to the next, mm.
    line : (P,) int64
        Which line each piece is of.
    """
    (xy, start), (cut, begin) = lines, pieces
    out = np.empty(len(cut))
    for i, one in enumerate(line.tolist()):
        a, z = start[one], start[one + 1]
        own = width[a : z - 1]
        if len(own) == 0 or own.min() == own.max():
            out[begin[i] : begin[i + 1]] = width[a]
            continue
        piece = cut[begin[i] : begin[i + 1]]
        steps = np.cumsum(np.hypot(*np.diff(xy[a:z], axis=0).T))
        middles = shapely.points((piece[1:] + piece[:-1]) / 2)
        along = shapely.line_locate_point(shapely.linestrings(xy[a:z]), middles)
        at = np.minimum(np.searchsorted(steps, along), len(own) - 1)
        out[begin[i] : begin[i + 1]] = np.append(own[at], own[at[-1]])
    return out


def parted_lines(xy: Points, start: Index, cells: Regions, shortest: float) -> tuple[Points, Index, Index, Index]:
    """Cut lines wherever they go from one cell to the next; nothing of them is left out.

    Pieces shorter than ``shortest`` mm go with a neighbour.

    Returns
    -------
    xy, start
        Points of the pieces, on the grid, line by line and along each.
    line, cell : (P,) int64
        Which line each is of, and in which cell it lies.
    """
    count = len(start) - 1
    lines = np.asarray(shapely.linestrings(xy, indices=np.repeat(np.arange(count), np.diff(start))), object)
    cells = np.asarray(shapely.transform(cells, np.array), object)  # other threads may read those that were given
    shapely.prepare(cells)
    cell = np.full(count, -1, np.int64)
    for number, one in enumerate(cells):
        cell[shapely.covers(one, lines)] = number
    cut = {i: xy[start[i] : start[i + 1]] for i in np.flatnonzero(cell < 0).tolist()}
    parted = dict(zip(cut, _parted(list(cut.values()), cells, shortest), strict=True))
    pieces: list[Points] = []
    line, of = [], []
    for i in range(count):
        done = parted[i] if i in parted else [(xy[start[i] : start[i + 1]], int(cell[i]))]
        pieces += [piece for piece, _ in done]
        line += [i] * len(done)
        of += [number for _, number in done]
    return (
        np.concatenate(pieces) if pieces else xy[:0],
        starts_of(np.array([len(piece) for piece in pieces], np.int64)),
        np.array(line, np.int64),
        np.array(of, np.int64),
    )


def _parted(lines: list[Points], cells: Regions, shortest: float) -> list[list[tuple[Points, int]]]:
    """Cut lines wherever they go from one cell to the next; of each, its pieces and their cells."""
    steps = [np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T)))) for xy in lines]
    bounds = []
    for at, along in zip(_crossings(lines, steps, cells), steps, strict=True):
        some = at[(at > shortest) & (at < along[-1] - shortest)]
        some = some[np.diff(some, prepend=-np.inf) > shortest]
        bounds.append(np.concatenate(([0.0], some, along[-1:])))
    middles = [_along(xy, s, (b[1:] + b[:-1]) / 2) for xy, s, b in zip(lines, steps, bounds, strict=True)]
    number = _cell_of(np.concatenate(middles) if middles else np.empty((0, 2)), cells)
    ends = np.cumsum([0, *(len(some) for some in middles)])
    each = [number[a:b] for a, b in pairwise(ends)]
    of_line = zip(lines, steps, bounds, each, strict=True)
    return [_pieces(*one) if len(one[3]) > 1 else [(one[0], int(one[3][0]))] for one in of_line]


def _pieces(xy: Points, steps: Lengths, bounds: Lengths, number: Index) -> list[tuple[Points, int]]:
    """Return the pieces of a line between bounds along it, neighbours in the same cell as one."""
    kept = np.append(True, np.diff(number) != 0)
    bounds, number = np.append(bounds[:-1][kept], steps[-1]), number[kept]
    corners = np.concatenate((xy[:1], np.round(_along(xy, steps, bounds[1:-1]), valid.DECIMALS) + 0.0, xy[-1:]))
    out = []
    for k, one in enumerate(number.tolist()):
        between = xy[1:-1][(steps[1:-1] > bounds[k] + 1e-3) & (steps[1:-1] < bounds[k + 1] - 1e-3)]
        out.append((np.concatenate((corners[k : k + 1], between, corners[k + 1 : k + 2])), one))
    return out


def _crossings(lines: list[Points], steps: list[Lengths], cells: Regions) -> list[Lengths]:
    """Return how far along each line it crosses borders of cells, rising."""
    if not lines:
        return []
    a, b = np.concatenate([xy[:-1] for xy in lines]), np.concatenate([xy[1:] for xy in lines])
    before = np.concatenate([along[:-1] for along in steps])
    owner = np.repeat(np.arange(len(lines)), [len(xy) - 1 for xy in lines])
    rings, of = shapely.get_coordinates(shapely.get_rings(shapely.get_parts(cells)), return_index=True)
    goes_on = np.flatnonzero(np.diff(of) == 0)
    c, d = rings[goes_on], rings[goes_on + 1]
    i, j = _near_pairs(a, b, c, d)
    way, border, apart = b[i] - a[i], d[j] - c[j], c[j] - a[i]
    turn = way[:, 0] * border[:, 1] - way[:, 1] * border[:, 0]
    safe = np.where(turn == 0.0, 1.0, turn)
    share = (apart[:, 0] * border[:, 1] - apart[:, 1] * border[:, 0]) / safe
    across = (apart[:, 0] * way[:, 1] - apart[:, 1] * way[:, 0]) / safe
    # Where a line runs along a border, the borders next to that one end the stretch.
    met = (turn != 0.0) & (np.abs(share - 0.5) <= 0.5 + 1e-9) & (np.abs(across - 0.5) <= 0.5 + 1e-9)
    i, at = i[met], before[i[met]] + np.clip(share[met], 0.0, 1.0) * np.hypot(*way[met].T)
    order = np.lexsort((at, owner[i]))
    ends = np.searchsorted(owner[i][order], np.arange(len(lines) + 1))
    return [at[order][first:last] for first, last in pairwise(ends)]


def _near_pairs(a: Points, b: Points, c: Points, d: Points) -> tuple[Index, Index]:
    """Return which segments a–b and c–d may meet: those whose boxes do, long ones taken ``BITE`` mm at a time."""
    boxes, segment = _bites(a, b)
    tree = shapely.STRtree(shapely.linestrings(np.stack((c, d), axis=1)))
    bite, other = tree.query(boxes)
    pairs = np.unique(segment[bite] * np.int64(len(c)) + other)
    return pairs // len(c), pairs % len(c)


def _bites(a: Points, b: Points) -> tuple[Regions, Index]:
    """Return the boxes of pieces no longer than ``BITE`` mm of segments, and which segment each is of."""
    bites = np.maximum(np.ceil(np.hypot(*(b - a).T) / BITE), 1.0).astype(np.int64)
    segment = np.repeat(np.arange(len(a)), bites)
    nth = np.arange(len(segment)) - np.repeat(np.cumsum(bites) - bites, bites)
    ends = [a[segment] + (b - a)[segment] * ((nth + k) / bites[segment])[:, None] for k in (0, 1)]
    low, high = np.minimum(*ends) - 1e-6, np.maximum(*ends) + 1e-6
    return np.asarray(shapely.box(*low.T, *high.T), object), segment


def _cell_of(points: Points, cells: Regions) -> Index:
    """Return the cell in which each point lies, or to which it is nearest, (n,)."""
    out = np.full(len(points), -1, np.int64)
    for number, one in enumerate(cells):
        out[shapely.contains_xy(one, points)] = number
    left = np.flatnonzero(out < 0)
    out[left] = shapely.distance(shapely.points(points[left])[:, None], cells[None, :]).argmin(axis=1)
    return out


def _along(xy: Points, steps: Lengths, at: Lengths) -> Points:
    """Return the points so far along a line, (n, 2)."""
    return np.stack([np.interp(at, steps, one) for one in xy.T], axis=1)


def lengths_within(xy: Points, start: Index, shape: shapely.Geometry) -> NDArray[np.float64]:
    """Return how much of each line lies within a region, (n,), mm; a line that runs over itself counts as often.

    Steps shorter than ``SHORT`` lie where their ends do, but for those that cross the border: these are cut, as are
    all longer ones.
    """
    line = np.repeat(np.arange(len(start) - 1), np.maximum(np.diff(start) - 1, 0))
    goes_on = np.ones(len(xy), np.bool_)
    goes_on[start[1:] - 1] = False
    at = np.flatnonzero(goes_on)
    a, b = xy[at], xy[at + 1]
    x0, y0, x1, y1 = shapely.bounds(shape)
    low, high = np.minimum(a, b), np.maximum(a, b)
    near = (low[:, 0] <= x1) & (high[:, 0] >= x0) & (low[:, 1] <= y1) & (high[:, 1] >= y0)  # none where it is empty
    line, a, b = line[near], a[near], b[near]
    shape = shapely.transform(shape, np.array)  # other threads may read that which was given
    shapely.prepare(shape)
    inside = [shapely.contains_xy(shape, *ends.T) for ends in (a, b)]
    far = np.hypot(*(b - a).T)
    within = np.where(inside[0] & inside[1], far, 0.0)
    cut = np.flatnonzero((inside[0] != inside[1]) | (far > SHORT))
    steps = shapely.linestrings(np.stack((a[cut], b[cut]), axis=1))
    within[cut] = shapely.length(_common(steps, shape))
    return np.asarray(np.bincount(line, within, len(start) - 1), np.float64)


def lines_within(drawn: list[list[Points]], regions: Regions, shortest: float) -> tuple[Points, Index, Index]:
    """Cut lines to regions, list by list.

    Returns
    -------
    xy, start
        Points of the pieces no shorter than ``shortest`` mm, on the grid, and where each piece begins.
    cell : (n + 1,) int64
        Where each region's pieces begin.
    """
    many = np.array([shapely.MultiLineString(lines) for lines in drawn], object)
    pieces_, owner = shapely.get_parts(shapely.intersection(many, regions), return_index=True)
    long = (shapely.get_type_id(pieces_) == 1) & (shapely.length(pieces_) >= shortest)
    xy, of = shapely.get_coordinates(pieces_[long], return_index=True)
    return (
        np.asarray(np.round(xy, valid.DECIMALS) + 0.0, np.float64),
        starts_of(np.bincount(of, minlength=int(long.sum()))),
        starts_of(np.bincount(owner[long], minlength=len(regions))),
    )


def lines_outside(lines: list[Points], taken: shapely.Geometry, shortest: float) -> list[Points]:
    """Return what of some lines lies outside a region, in pieces no shorter than ``shortest`` mm, on the grid.

    A closed line that nothing is cut from stays as it is.
    """
    out = []
    for line in lines:
        drawn = shapely.linestrings(line)
        if not shapely.intersects(drawn, taken):
            out.append(line)
            continue
        left = shapely.line_merge(shapely.difference(drawn, taken))
        pieces = shapely.get_parts(left)
        pieces = pieces[(shapely.get_type_id(pieces) == 1) & (shapely.length(pieces) >= shortest)]
        out += [np.round(shapely.get_coordinates(piece), valid.DECIMALS) + 0.0 for piece in pieces]
    return out


def holder_of(points: Points, pieces: Regions) -> Index:
    """Return for each point the piece it lies in, or is nearest to, (n,)."""
    return np.asarray(shapely.STRtree(pieces).nearest(shapely.points(points)), np.int64)
