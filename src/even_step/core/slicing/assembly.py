"""Stage 9, across parts: the blocks of all placed solids become one toolpath."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import travel as keys
from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.slicing.foot.skirt import Skirt
from even_step.core.slicing.ordering import Blocks, Ordered
from even_step.core.toolpath.courses import Courses
from even_step.core.toolpath.roles import SKIRT
from even_step.core.toolpath.toolpath import Toolpath
from even_step.core.work import Crew, runs_of

Stretch = tuple[int, int, int, int]  # number of the placed part, foot or part, first path and last in those blocks


@dataclass(frozen=True)
class TravelSettings:
    """From which length on a travel move draws filament back, mm."""

    retract_from: Annotated[float, keys.RETRACT_FROM]


@dataclass(frozen=True, eq=False)
class Placed:
    """Blocks of a foot and of the part on it, and where they stand: shift in mm, number of the placed part."""

    blocks: tuple[Blocks, Blocks]
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


def assemble(placed: list[Placed], skirt: Skirt, courses: Courses, settings: TravelSettings, crew: Crew) -> Toolpath:
    """Lay out the toolpath of all courses in their order; the skirt comes first."""
    plan = [
        _stretch(placed[part].blocks[source], int(part), int(source), item)
        for part, source, item in zip(courses.part, courses.source, courses.item, strict=True)
    ]
    loops = _skirt(skirt)
    sizes = [_size(placed[part].blocks[source].paths, first, last) for part, source, first, last in plan]
    places = np.cumsum([(len(loops[1]) - 1, len(loops[0]), 0), *sizes], axis=0)
    layer = places[courses.begins(), 0].astype(np.int64)
    layer[:1] = 0
    paths, points, passed = places[-1].tolist()
    out = _empty(paths, points, passed, layer, courses, _repeats(plan, courses))
    _put(out, 0, 0, *loops, 0.0, 0.0, -1, 0, skirt.height)

    def lay(first: int, last: int) -> None:
        for c in range(first, last):
            _lay(out, placed[plan[c][0]], plan[c], places[c].tolist(), int(courses.number[c]), float(courses.thick[c]))

    crew.each(lay, runs_of(np.diff(places[:, 1])))
    _decide_retraction(out.xy, out.start, out.layer, courses.clear, settings.retract_from, out.retract)
    return out


def _stretch(blocks: Blocks, part: int, source: int, item: int) -> Stretch:
    """Return which paths a layer of some blocks has."""
    b = blocks.which[item]
    return part, source, int(blocks.block[b]), int(blocks.block[b + 1])


def _size(paths: Ordered, first: int, last: int) -> tuple[int, int, int]:
    """Return how many paths, points and points passed on ways a stretch has."""
    points, passed = paths.start[last] - paths.start[first], paths.via_start[last] - paths.via_start[first]
    return last - first, int(points), int(passed)


def _lay(out: Toolpath, one: Placed, stretch: Stretch, at: list[int], number: int, thick: float) -> None:
    """Copy a stretch to its place: path, point and passed point ``at``."""
    _, source, first, last = stretch
    b, (p, n, v) = one.blocks[source].paths, at
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
        number,
        np.where(b.height[first:last] > 0, b.height[first:last], thick),
    )
    i_via, z_via = int(b.via_start[first]), int(b.via_start[last])
    np.add(b.via[i_via:z_via], one.at, out=out.via[v : v + z_via - i_via])
    out.via_start[p + 1 : p + last - first + 1] = b.via_start[first + 1 : last + 1] - i_via + v


def _repeats(plan: list[Stretch], courses: Courses) -> Index:
    """Return for each layer the first with the same stretches after the same last one, or itself.

    First layers are laid in their own way, and after the last the nozzle leaves; they are for themselves.
    """
    count = len(courses.top)
    begins = courses.begins().tolist()
    own = np.zeros(count, np.bool_)
    own[courses.layer[courses.number <= 0]] = True
    own[courses.clear > 0] = True
    out, seen = np.arange(count), dict[object, int]()
    for k in range(1, count - 1):
        first, last = begins[k], begins[k + 1]
        if not own[k] and first < last:
            laid = tuple(zip(plan[first:last], courses.thick[first:last].tolist(), strict=True))
            out[k] = seen.setdefault((laid, plan[first - 1]), k)
    return out


def _empty(paths: int, points: int, vias: int, layer: Index, courses: Courses, repeats: Index) -> Toolpath:
    return Toolpath(
        np.empty((points, 2)),
        np.zeros(paths + 1, np.int64),
        np.empty(paths, np.uint8),
        np.empty(paths, np.float32),
        np.empty(paths, np.float32),
        np.empty(paths, np.int32),
        np.empty(paths, np.int32),
        np.empty((vias, 2)),
        np.zeros(paths + 1, np.int64),
        np.empty(paths, np.bool_),
        layer,
        courses,
        repeats,
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
    own: int,
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
    out.own[p : p + count] = own
    out.height[p : p + count] = height


def _skirt(
    skirt: Skirt,
) -> tuple[NDArray[np.float64], Index, NDArray[np.uint8], NDArray[np.float32], NDArray[np.bool_]]:
    rings = skirt.rings
    count = len(rings.start) - 1
    loops = [
        np.concatenate((rings.xy[a:b], rings.xy[a : a + 1]))
        for a, b in zip(rings.start[:count], rings.start[1 : count + 1], strict=True)
    ]
    xy = np.concatenate(loops) if loops else np.empty((0, 2))
    return (
        xy,
        starts_of(np.array([len(loop) for loop in loops], np.int64)),
        np.full(count, SKIRT, np.uint8),
        np.full(count, skirt.width, np.float32),
        np.zeros(count, np.bool_),
    )


@kernel
def _decide_retraction(xy, start, layer, clear, retract_from, retract):  # type: ignore[no-untyped-def]
    """Draw filament back before the very first path, before ways over what stands, and before long ones outside."""
    for k in range(layer.shape[0] - 1):
        for p in range(layer[k], layer[k + 1]):
            if p == 0 or (clear[k] > 0.0 and p == layer[k]):
                retract[p] = True
            elif retract[p]:
                retract[p] = False  # it was marked as linked
            else:
                a, b = start[p] - 1, start[p]
                retract[p] = np.hypot(xy[b, 0] - xy[a, 0], xy[b, 1] - xy[a, 1]) >= retract_from
