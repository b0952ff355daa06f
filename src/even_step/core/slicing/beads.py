"""Stage 4 where it is narrow: lines whose width follows the room they have.

The rule, level by level from the outline inward, for the thickness ``t`` of what is left (in plastic widths; Kuipers
et al., "A framework for adaptive width control of dense contour-parallel toolpaths in fused deposition modeling",
2020, with all lines but the middle ones as wide as set):

- two full lines and at least the narrowest fit: a line as wide as set along each side, and on with what is left;
- less, but more than the widest line: two lines, half of the thickness each;
- less, but at least the narrowest line: one line along the middle, as wide as the thickness;
- less: nothing fits.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points, Rings, joined_starts
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import edges_of, first_met, grid_of, nearest_edge
from even_step.core.plane.turns import loses
from even_step.core.slicing.laid import DOT, LaidWalls, Strands, levels_joined, strands_joined, without_dots
from even_step.core.slicing.singles import Bounds, singles

SPACING = 0.25  # mm between points of a ring where its width may change
SLACK = 0.003  # mm, by which a shape grown back is larger, so that equal outlines do not leave shreds
HAIRLINE = 0.02  # mm, a gap no wider than that is not worth another width
FACING = 0.707  # cosine: walls that lean more than 45° toward each other are a corner, no narrow place
LEAST_AREA = 0.02  # mm², less of a narrow place is a corner's tip


@dataclass(frozen=True, eq=False)
class Last:
    """The last level where all lines are as wide as set, (n,) regions each.

    Its lines, what is left inside, and that moved in by half of what two lines and the narrowest fill.
    """

    lines: Regions
    inner: Regions
    core: Regions


@dataclass(frozen=True, eq=False)
class Begun:
    """Shapes whose outer walls are laid already.

    Attributes
    ----------
    lines : list of (n,) regions
        Centre lines of each level laid so far, every one of the width that is set.
    rest : (n,) regions
        What is left inside them, in plastic widths.
    sharp : (n,) bool
        Which shapes have corners so sharp that they are narrow.
    last : Last or none
        What the last level comes to where it is nowhere tight, if that is known and all before it are laid.
    """

    lines: list[Regions]
    rest: Regions
    sharp: NDArray[np.bool_]
    last: Last | None = None


def narrow_walls(begun: Begun, filled: NDArray[np.float64], bounds: Bounds, *, thicken: bool) -> LaidWalls:
    """Lay the walls inside shapes that are narrow somewhere.

    Parameters
    ----------
    begun
        The shapes, of layers of one thickness, mm.
    filled : (count,) float64
        Plastic width of each wall as set, outermost first, mm.
    bounds
        Of line widths.
    thicken
        Whether what is too thin for the narrowest line gets one all the same.
    """
    count, rest, owner = len(begun.rest), begun.rest, np.arange(len(begun.rest))
    laid = [_as_set(region.rings(lines), float(fill), bounds) for lines, fill in zip(begun.lines, filled, strict=False)]
    strands: list[Strands] = []
    lost, tight = region.nothing(count), np.empty(0, np.int64)
    for level in range(len(laid), len(filled)):
        if region.is_empty(rest).all():
            break
        if begun.last is None:  # piece by piece, for mostly only some pieces of a shape are tight
            rest, of = region.pieces(rest)
            owner = owner[of]
        fill, sharp = float(filled[level]), begun.sharp[owner]
        full = bounds.full_above(fill)
        core = region.offset(rest, -full / 2)
        tight = np.flatnonzero(sharp | loses(rest, core, np.full(len(rest), full / 2)))
        lines = begun.last.lines.copy() if begun.last else region.offset(rest, -fill / 2)
        after = begun.last.inner.copy() if begun.last else region.offset(rest, -fill)
        walls = region.rings(rest)
        if len(tight):
            thin = _tighten(rest, core, lines, after, tight, sharp, fill, bounds)
            if level == 0:
                lost = _of_shapes(unfit(rest[tight], thin[tight], bounds), owner[tight], count)
            single = singles(thin, walls, bounds, bounds.pair_above(), level, thicken=thicken and level == 0)
            single = replace(single, item=owner[single.item])
            strands.append(without_dots(single, DOT) if level else single)
        rings, width = _pairs(lines, walls, tight, fill, bounds)
        laid.append((replace(rings, item=owner[rings.item]), width))
        rest = after
    full = bounds.full_above(float(filled[-1]))
    core = begun.last.core.copy() if begun.last else region.offset(rest, -full / 2)
    if begun.last:
        core[tight] = region.offset(rest[tight], -full / 2)
    gaps = narrow_places(rest, core, full)
    single = singles(gaps, region.rings(rest), bounds, full, len(filled), thicken=False)
    strands.append(without_dots(replace(single, item=owner[single.item]), DOT))
    inner = _of_shapes(region.difference(rest, gaps), owner, count)
    return LaidWalls(*levels_joined(laid), strands_joined(strands), inner, lost, region.nothing(count))


def _of_shapes(pieces: Regions, owner: Index, count: int) -> Regions:
    """Gather what was worked out piece by piece; ``owner`` says of which shape each piece is, not falling."""
    single, of = region.pieces(pieces)
    return region.gathered(single, owner[of], count)


def _tighten(
    rest: Regions,
    core: Regions,
    lines: Regions,
    after: Regions,
    tight: Index,
    sharp: NDArray[np.bool_],
    fill: float,
    bounds: Bounds,
) -> Regions:
    """Where shapes are tight, keep lines where two fit, and what is left where more than two do, both in place.

    Returns where one line is to be laid, (n,).
    """
    pair, full = bounds.pair_above(), bounds.full_above(fill)
    some = rest[tight]
    several = region.offset(some, -pair / 2)
    after[tight] = region.within(after[tight], core[tight], full / 2 - fill + SLACK)
    thin = region.nothing(len(rest))
    less = np.flatnonzero(sharp[tight] | loses(some, several, np.full(len(some), pair / 2)))
    if len(less):
        where, several = tight[less], several[less]
        lines[where] = region.within(lines[where], several, (pair - fill) / 2 + SLACK)
        thin[where] = narrow_places(some[less], several, pair)
    return thin


def _as_set(rings: Rings, fill: float, bounds: Bounds) -> tuple[Rings, NDArray[np.float64]]:
    """Return closed lines with their widths: the one that is set."""
    return rings, np.full(len(rings.xy), fill + bounds.rounding)


def narrow_places(rest: Regions, core: Regions, thickness: float) -> Regions:
    """Return what of the rest is narrower than a thickness; the core is the rest moved in by half of it."""
    thin = region.beyond(rest, core, thickness / 2 + SLACK)
    parts, owner = region.pieces(thin)
    kept = region.area(parts) >= LEAST_AREA
    return region.gathered(parts[kept], owner[kept], len(rest))


def unfit(rest: Regions, thin: Regions, bounds: Bounds) -> Regions:
    """Return what of thin places even the narrowest line does not fit into."""
    half = (bounds.narrowest - bounds.rounding) / 2
    # Round, for a sharp corner is not thin: its tip lies within a line's rounding.
    reached = region.offset_round(region.offset(rest, -half), half * np.sqrt(2))
    parts, owner = region.pieces(region.difference(thin, reached))
    kept = region.area(parts) >= LEAST_AREA
    return region.gathered(parts[kept], owner[kept], len(rest))


def _pairs(
    lines: Regions, walls: Rings, tight: Index, fill: float, bounds: Bounds
) -> tuple[Rings, NDArray[np.float64]]:
    """Lay a level's closed lines; where less than two full lines and another fit they share the thickness."""
    rings = region.rings(lines)
    if len(tight) == 0:
        return _as_set(rings, fill, bounds)
    pair, full = bounds.pair_above(), bounds.full_above(fill)
    of_item, of_wall = rings.starts_by_item(len(lines)), walls.starts_by_item(len(lines))
    xy: list[Points] = []
    width: list[NDArray[np.float64]] = []
    start: list[Index] = []
    before = 0
    for item in (*tight.tolist(), len(lines)):
        first, last = int(of_item[before]), int(of_item[item])
        if last > first:  # those in between are as they are
            xy.append(rings.xy[rings.start[first] : rings.start[last]])
            width.append(np.full(len(xy[-1]), fill))
            start.append(rings.start[first : last + 1] - rings.start[first])
        before = item + 1
        if item == len(lines) or of_item[item] == of_item[item + 1]:
            continue
        edges = edges_of(walls.xy, walls.start[of_wall[item] : of_wall[item + 1] + 1])
        places = rings.start[of_item[item] : of_item[item + 1] + 1]
        shared = _share(rings.xy, places, edges, *grid_of(edges, full), fill, pair, full)
        xy.append(shared[0])
        width.append(shared[1])
        start.append(shared[2])
    return (
        Rings(
            np.asarray(np.round(np.concatenate(xy), 3) + 0.0, np.float64) if xy else np.empty((0, 2)),
            joined_starts(start) if start else np.zeros(1, np.int64),
            rings.item,
            rings.polygon,
        ),
        np.concatenate(width) + bounds.rounding if width else np.empty(0),
    )


@kernel
def _thickness(edges, frame, first, item, x, y, nx, ny, fill, full):  # type: ignore[no-untyped-def]
    """Return the thickness beside a point of a line, ``full`` where it is thicker or no walls face each other.

    The largest circle that touches the wall behind the point and the wall ahead: the ray to the wall ahead has
    length L and meets it at an angle β, so its radius is ``L·cos β / (1 + cos β)``.
    """
    if nearest_edge(edges, frame, first, item, x, y, fill) < 0.5 * fill - 0.02:
        return full
    back, behind = first_met(edges, frame, first, item, x, y, -nx, -ny, fill)
    if behind < 0:
        return full
    ahead, e = first_met(edges, frame, first, item, x, y, nx, ny, full)
    if e < 0:
        return full
    ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
    long = np.hypot(ux, uy)
    cos = (nx * uy - ny * ux) / long if long > 0.0 else 0.0
    if cos < FACING:
        return full
    return min(full, 2.0 * (ahead + back) * cos / (1.0 + cos))


@kernel
def _share(xy, start, edges, frame, first, item, fill, pair, full):  # type: ignore[no-untyped-def]
    """Move rings in or out where their thickness is to be shared; returns points, plastic widths and starts."""
    room = 64 + 2 * (start[start.shape[0] - 1] - start[0])
    points = np.empty((room, 2))
    wide = np.empty(room)
    starts = np.zeros(start.shape[0], np.int64)
    w = 0
    for r in range(start.shape[0] - 1):
        a, b = start[r], start[r + 1]
        size = 0
        for i in range(a, b):
            j = i + 1 if i + 1 < b else a
            size += 1 + int(np.hypot(xy[j, 0] - xy[i, 0], xy[j, 1] - xy[i, 1]) / SPACING)
        px, py = np.empty(size), np.empty(size)
        normal_x, normal_y, thick = np.empty(size), np.empty(size), np.empty(size)
        corner = np.zeros(size, np.bool_)
        n = 0
        shared = False
        for i in range(a, b):
            j = i + 1 if i + 1 < b else a
            dx, dy = xy[j, 0] - xy[i, 0], xy[j, 1] - xy[i, 1]
            long = np.hypot(dx, dy)
            steps = 1 + int(long / SPACING)
            nx, ny = (-dy / long, dx / long) if long > 0.0 else (0.0, 0.0)
            for k in range(steps):
                px[n], py[n] = xy[i, 0] + dx * k / steps, xy[i, 1] + dy * k / steps
                mx, my = px[n] + 0.5 * dx / steps, py[n] + 0.5 * dy / steps
                normal_x[n], normal_y[n] = nx, ny
                corner[n] = k == 0
                t = _thickness(edges, frame, first, item, mx, my, nx, ny, fill, full) if long > 0.0 else full
                thick[n] = max(t, pair)
                shared = shared or t < full
                n += 1
        if w + n + 2 > points.shape[0]:
            more = np.empty((2 * (w + n + 2), 2))
            more[:w] = points[:w]
            points = more
            wider = np.empty(more.shape[0])
            wider[:w] = wide[:w]
            wide = wider
        if not shared:
            for i in range(a, b):
                points[w, 0], points[w, 1] = xy[i, 0], xy[i, 1]
                wide[w] = fill
                w += 1
            starts[r + 1] = w
            continue
        moved = np.empty(n)
        for k in range(n):
            slit = thick[k] - 2.0 * fill
            moved[k] = 0.25 * slit if thick[k] < full and abs(slit) > HAIRLINE else 0.0
        soft = np.empty(n)
        for k in range(n):
            before, after = k - 1 if k > 0 else n - 1, k + 1 if k + 1 < n else 0
            soft[k] = 0.25 * moved[before] + 0.5 * moved[k] + 0.25 * moved[after]
        for k in range(n):
            before = k - 1 if k > 0 else n - 1
            if not corner[k] and abs(soft[k] - soft[before]) < 1e-6:
                continue
            mx, my = normal_x[before] + normal_x[k], normal_y[before] + normal_y[k]
            half = 0.5 * (mx * mx + my * my)  # 1 + cos of the turn
            by = 0.5 * (soft[before] + soft[k])
            scale = by / half if half > 0.5 else 0.0
            points[w, 0], points[w, 1] = px[k] + mx * scale, py[k] + my * scale
            wide[w] = fill + 2.0 * soft[k]
            w += 1
        starts[r + 1] = w
    return points[:w].copy(), wide[:w].copy(), starts
