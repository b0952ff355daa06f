"""Stage 9, across parts: the blocks of all placed solids become one toolpath."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import travel as keys
from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.slicing.adhesion import Adhesion
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.ordering import Blocks
from even_step.core.toolpath.roles import SKIRT
from even_step.core.toolpath.toolpath import Toolpath


@dataclass(frozen=True)
class TravelSettings:
    """From which length on a travel move draws filament back, mm."""

    retract_from: Annotated[float, keys.RETRACT_FROM]


@dataclass(frozen=True, eq=False)
class Placed:
    """Blocks and where they stand: shift in mm, number of the placed part."""

    blocks: Blocks
    at: tuple[float, float]
    part: int


def visiting_order(places: NDArray[np.float64]) -> Index:
    """Return an order of places (n, 2) that makes a short way: nearest next, then two-opt."""
    count = len(places)
    if count < 3:
        return np.arange(count)
    far = np.hypot(*(places[:, None] - places[None]).transpose(2, 0, 1))
    way = [int(np.lexsort((places[:, 0], places[:, 1]))[0])]
    left = set(range(count)) - set(way)
    while left:
        way.append(min(left, key=lambda i: (far[way[-1], i], i)))
        left.remove(way[-1])
    better = count <= 100
    while better:
        better = False
        for i in range(count - 2):
            for j in range(i + 2, count):
                after = far[way[j], way[j + 1]] if j + 1 < count else 0.0
                swapped = far[way[i + 1], way[j + 1]] if j + 1 < count else 0.0
                if far[way[i], way[j]] + swapped < far[way[i], way[i + 1]] + after - 1e-9:
                    way[i + 1 : j + 1] = way[i + 1 : j + 1][::-1]
                    better = True
    return np.array(way)


def assemble(placed: list[Placed], adhesion: Adhesion, heights: Heights, settings: TravelSettings) -> Toolpath:
    """Lay out the toolpath of all layers.

    Parts are visited along a short way, forth in one layer and back in the next; the skirt comes first.
    """
    order = visiting_order(np.array([one.at for one in placed]).reshape(-1, 2))
    skirt = _skirt(adhesion, heights)
    paths, points = len(skirt[1]) - 1, len(skirt[0])
    vias = 0
    plan: list[tuple[int, int, int, int]] = []  # placed, block's first path, last path, layer
    layer = np.zeros(len(heights.top) + 1, np.int64)
    for k in range(len(heights.top)):
        for i in order if k % 2 == 0 else order[::-1]:
            blocks = placed[i].blocks
            if k < len(blocks.which):
                b = blocks.which[k]
                first, last = int(blocks.block[b]), int(blocks.block[b + 1])
                plan.append((int(i), first, last, k))
                paths += last - first
                points += int(blocks.paths.start[last] - blocks.paths.start[first])
                vias += int(blocks.paths.via_start[last] - blocks.paths.via_start[first])
        layer[k + 1] = paths
    out = _empty(paths, points, vias, layer, heights)
    _put(out, 0, 0, *skirt, 0.0, 0.0, -1, heights.thick[0] if len(heights.thick) else 0.0)
    p, n, v = len(skirt[1]) - 1, len(skirt[0]), 0
    for i, first, last, k in plan:
        one = placed[i]
        b = one.blocks.paths
        a, z = b.start[first], b.start[last]
        _put(
            out,
            p,
            n,
            b.xy[a:z],
            b.start[first : last + 1] - a,
            b.role[first:last],
            b.width[first:last],
            b.linked[first:last],
            *one.at,
            one.part,
            np.where(b.height[first:last] > 0, b.height[first:last], heights.thick[k]),
        )
        i_via, z_via = int(b.via_start[first]), int(b.via_start[last])
        np.add(b.via[i_via:z_via], one.at, out=out.via[v : v + z_via - i_via])
        out.via_start[p + 1 : p + last - first + 1] = b.via_start[first + 1 : last + 1] - i_via + v
        p, n, v = p + last - first, n + int(z - a), v + z_via - i_via
    _decide_retraction(out.xy, out.start, out.layer, settings.retract_from, out.retract)
    return out


def _empty(paths: int, points: int, vias: int, layer: Index, heights: Heights) -> Toolpath:
    return Toolpath(
        np.empty((points, 2)),
        np.zeros(paths + 1, np.int64),
        np.empty(paths, np.uint8),
        np.empty(paths, np.float32),
        np.empty(paths, np.float32),
        np.empty(paths, np.int32),
        np.empty((vias, 2)),
        np.zeros(paths + 1, np.int64),
        np.empty(paths, np.bool_),
        layer,
        heights.top,
    )


def _put(
    out: Toolpath,
    p: int,
    n: int,
    xy: NDArray[np.float64],
    start: Index,
    role: NDArray[np.uint8],
    width: NDArray[np.float32],
    linked: NDArray[np.bool_],
    dx: float,
    dy: float,
    part: int,
    height: float | NDArray[np.float64],
) -> None:
    """Copy paths into the toolpath from path ``p`` and point ``n`` on, shifted."""
    count = len(role)
    np.add(xy, (dx, dy), out=out.xy[n : n + len(xy)])
    out.start[p + 1 : p + count + 1] = start[1:] + n
    out.role[p : p + count] = role
    out.width[p : p + count] = width
    out.retract[p : p + count] = linked  # until it is decided
    out.part[p : p + count] = part
    out.height[p : p + count] = height


def _skirt(
    adhesion: Adhesion, heights: Heights
) -> tuple[NDArray[np.float64], Index, NDArray[np.uint8], NDArray[np.float32], NDArray[np.bool_]]:
    rings = adhesion.rings
    count = len(rings.start) - 1 if len(heights.top) else 0
    loops = [
        np.concatenate((rings.xy[a:b], rings.xy[a : a + 1]))
        for a, b in zip(rings.start[:count], rings.start[1 : count + 1], strict=True)
    ]
    xy = np.concatenate(loops) if loops else np.empty((0, 2))
    return (
        xy,
        starts_of(np.array([len(loop) for loop in loops], np.int64)),
        np.full(count, SKIRT, np.uint8),
        np.full(count, adhesion.width, np.float32),
        np.zeros(count, np.bool_),
    )


@kernel
def _decide_retraction(xy, start, layer, retract_from, retract):  # type: ignore[no-untyped-def]
    """Draw filament back before a layer's first path and before long ways that leave the room."""
    for k in range(layer.shape[0] - 1):
        for p in range(layer[k], layer[k + 1]):
            if p == layer[k]:
                retract[p] = True
            elif retract[p]:
                retract[p] = False  # it was marked as linked
            else:
                a, b = start[p] - 1, start[p]
                retract[p] = np.hypot(xy[b, 0] - xy[a, 0], xy[b, 1] - xy[a, 1]) >= retract_from
    return 0
