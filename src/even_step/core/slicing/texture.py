"""Stage 9, texture: outer walls are moved to and fro, and the lines of tops up and down, by noise.

Along each line noise has a knot every so often, and goes straight from one to the next. It comes from a hash of layer,
line and knot, so the same job gives the same skin.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import texture
from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index
from even_step.core.slicing.border_cuts import some_paths
from even_step.core.slicing.ordering import Blocks, Ordered
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.touched import touched_by
from even_step.core.toolpath.roles import OUTER_WALL, TOP
from even_step.core.work import Crew, runs_of

STEEPEST = 0.3  # of a layer that lines of tops may rise and dip


@dataclass(frozen=True)
class TextureSettings:
    """How rough outer walls are, where, and whether tops are too; mm."""

    depth: Annotated[float, texture.DEPTH]
    spacing: Annotated[float, texture.SPACING]
    opening_width: Annotated[float, texture.OPENING_WIDTH]
    tops: Annotated[bool, texture.TOPS]


def with_texture(
    blocks: Blocks,
    outlines: Outlines,
    thick: NDArray[np.float64],
    settings: tuple[TextureSettings, ...],
    crew: Crew,
) -> Blocks:
    """Make outer walls and tops rough.

    Parameters
    ----------
    blocks, outlines
        Of one solid.
    thick : (L,) float64
        How thick each of its layers is, mm.
    settings
        By what holds in the zones that the blocks are numbered by.
    """
    depth, spacing = (np.array([getattr(one, name) for one in settings]) for name in ("depth", "spacing"))
    tops, widths = np.array([one.tops for one in settings]), np.array([one.opening_width for one in settings])
    asked = np.unique(widths[(depth > 0.0) & (widths > 0.0)]).tolist()
    touched = [(width, touched_by(outlines.outline, width, crew)) for width in asked]
    count = len(blocks.which)
    first, last = blocks.block[blocks.which], blocks.block[blocks.which + 1]

    def lay(a: int, b: int) -> list[Ordered]:
        done = []
        for layer in range(a, b):
            paths = some_paths(blocks.paths, first[layer], last[layer])
            record = blocks.records(first[layer], last[layer])
            rough = (depth[record] > 0.0) & ((paths.role == OUTER_WALL) | ((paths.role == TOP) & tops[record]))
            if not rough.any():
                done.append(paths)
                continue
            dips = paths.role == TOP
            climb = paths.climbs()
            xy, climb, start, path, move = _knotted(
                paths.xy, climb, paths.start, rough, dips, depth[record], spacing[record], layer
            )
            stays = np.zeros(len(xy), np.bool_)
            for width, by_disc in touched:
                some = np.flatnonzero((widths[record][path] == width) & ~dips[path])
                deep = paths.width[path[some]].astype(np.float64) / 2
                stays[some] = ~by_disc.reaches(xy[some], outlines.which[layer], deep)
            done.append(_moved(paths, xy, climb, start, np.where(stays[:, None], 0.0, move), float(thick[layer])))
        return done

    points = blocks.paths.start[last] - blocks.paths.start[first]
    made = [one for some in crew.each(lay, runs_of(points, most=20_000)) for one in some]
    sizes = last - first
    return replace(
        blocks,
        which=np.arange(count),
        content=np.arange(count),
        paths=Ordered.joined(made),
        block=np.concatenate(([0], np.cumsum(sizes))).astype(np.int64),
        record=np.concatenate([blocks.records(a, b) for a, b in zip(first, last, strict=True)]),
    )


def _moved(
    paths: Ordered,
    xy: NDArray[np.float64],
    climb: NDArray[np.float64],
    start: Index,
    move: NDArray[np.float64],
    thick: float,
) -> Ordered:
    """Return paths with their points moved: by x and y, and down by a share of the layer, mm."""
    climb = climb.copy()
    down = np.clip(move[:, 2], -STEEPEST * thick, STEEPEST * thick)
    climb[:, 0] += down
    climb[:, 1] *= 1.0 - down / thick
    level = not climb[:, 0].any() and (climb[:, 1] == 1.0).all()
    return replace(
        paths,
        xy=np.round(xy + move[:, :2], 3) + 0.0,
        start=start,
        climb=None if level and paths.climb is None else climb,
    )


@kernel
def _noise(layer, path, knot):  # type: ignore[no-untyped-def]
    """Return a number from −1 to 1, the same for the same numbers.

    Mixed as in Steele, Lea and Flood, "Fast splittable pseudorandom number generators", 2014.
    """
    x = np.uint64(layer) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(path) * np.uint64(0xBF58476D1CE4E5B9)
    x += np.uint64(knot) * np.uint64(0x94D049BB133111EB) + np.uint64(0x2545F4914F6CDD1D)
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    x = x ^ (x >> np.uint64(31))
    return np.float64(x >> np.uint64(11)) / 9007199254740992.0 * 2.0 - 1.0


@kernel
def _at_knot(layer, path, knot, knots, closed):  # type: ignore[no-untyped-def]
    """Return the noise of a knot: none at the ends of an open line, which others may go on from."""
    if closed:
        return _noise(layer, path, knot % knots)
    return 0.0 if knot <= 0 or knot >= knots else _noise(layer, path, knot)


@kernel
def _knotted(xy, climb, start, rough, dips, depth, spacing, layer):  # type: ignore[no-untyped-def]
    """Add the knots of rough lines to their points, and say where each point is moved.

    Returns points, how they climb, where lines begin, the line of each point, and its way in x, y and down, mm.
    """
    lines = start.shape[0] - 1
    room = xy.shape[0]
    for p in range(lines):
        if rough[p]:
            for i in range(start[p] + 1, start[p + 1]):
                room += 1 + int(np.hypot(xy[i, 0] - xy[i - 1, 0], xy[i, 1] - xy[i - 1, 1]) / spacing[p]) * 2 + 1
            room += 4
    out, rise = np.empty((room, 2)), np.empty((room, 2))
    move, line = np.zeros((room, 3)), np.empty(room, np.int64)
    starts = np.zeros(lines + 1, np.int64)
    w = 0
    for p in range(lines):
        a, b = start[p], start[p + 1]
        begin = w
        out[w], rise[w] = xy[a], climb[a]
        w += 1
        if not rough[p] or b - a < 2:
            for i in range(a + 1, b):
                out[w], rise[w] = xy[i], climb[i]
                w += 1
            line[begin:w] = p
            starts[p + 1] = w
            continue
        long = 0.0
        for i in range(a + 1, b):
            long += np.hypot(xy[i, 0] - xy[i - 1, 0], xy[i, 1] - xy[i - 1, 1])
        closed = b - a > 3 and xy[a, 0] == xy[b - 1, 0] and xy[a, 1] == xy[b - 1, 1]
        knots = max(3 if closed else 1, int(np.round(long / spacing[p])))
        apart = max(long / knots, 1e-9)
        gone = 0.0
        for i in range(a + 1, b):
            dx, dy = xy[i, 0] - xy[i - 1, 0], xy[i, 1] - xy[i - 1, 1]
            far = np.hypot(dx, dy)
            knot = int(np.floor(gone / apart + 1e-6)) + 1
            while far > 0.0 and knot * apart < gone + far - 1e-6:
                t = (knot * apart - gone) / far
                out[w, 0], out[w, 1] = xy[i - 1, 0] + t * dx, xy[i - 1, 1] + t * dy
                rise[w] = climb[i - 1] + t * (climb[i] - climb[i - 1])
                w += 1
                knot += 1
            gone += far
            out[w], rise[w] = xy[i], climb[i]
            w += 1
        half = 0.5 * depth[p]
        gone = 0.0
        for n in range(begin, w):
            if n > begin:
                gone += np.hypot(out[n, 0] - out[n - 1, 0], out[n, 1] - out[n - 1, 1])
            place = min(gone / apart, float(knots))
            knot = int(np.floor(place + 1e-6))
            t = min(max(place - knot, 0.0), 1.0)
            here = _at_knot(layer, p, knot, knots, closed)
            value = here + t * (_at_knot(layer, p, knot + 1, knots, closed) - here)
            if n == w - 1 and closed:
                move[n] = move[begin]
                continue
            if dips[p]:
                move[n, 2] = half * value
                continue
            before = n - 1 if n > begin else (w - 2 if closed else begin)
            after = n + 1 if n < w - 1 else w - 1
            tx, ty = out[after, 0] - out[before, 0], out[after, 1] - out[before, 1]
            size = max(np.hypot(tx, ty), 1e-12)
            move[n, 0], move[n, 1] = -ty / size * half * value, tx / size * half * value
        line[begin:w] = p
        starts[p + 1] = w
    return out[:w].copy(), rise[:w].copy(), starts, line[:w].copy(), move[:w].copy()
