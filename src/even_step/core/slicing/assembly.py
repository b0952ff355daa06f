"""Stage 9, across parts: the blocks of all placed solids become one toolpath."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import travel as keys
from even_step.core.kernels import kernel
from even_step.core.plane.nearest import nearest_order
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.slicing.changes import Stretch, Turns, picked
from even_step.core.slicing.foot.skirt import Skirt
from even_step.core.slicing.laid import chosen
from even_step.core.slicing.ordering import Blocks, Ordered, open_paths
from even_step.core.slicing.tower import Tower
from even_step.core.toolpath.courses import Courses
from even_step.core.toolpath.roles import SKIRT
from even_step.core.toolpath.toolpath import Toolpath
from even_step.core.work import Crew, runs_of

Place = tuple[float, float]


@dataclass(frozen=True)
class TravelSettings:
    """From which length on a travel move draws filament back, mm."""

    retract_from: Annotated[float, keys.RETRACT_FROM]


@dataclass(frozen=True, eq=False)
class Placed:
    """Blocks of a foot, of supports and of the part, and where they stand, mm."""

    blocks: tuple[Blocks, ...]
    at: Place


class Piece(NamedTuple):
    """Paths ready to be copied: where they stand (mm), whose they are, and what they are called where they repeat."""

    paths: Ordered
    first: int
    last: int
    record: NDArray[np.uint16]
    at: Place
    part: int
    own: int
    extruder: int
    height: float
    same: tuple[object, ...] | None


def visiting_order(places: NDArray[np.float64]) -> Index:
    """Return an order of places (n, 2) that makes a short way, from the foremost of them on; see ``nearest_order``."""
    count = len(places)
    if count < 3:
        return np.arange(count)
    x, y = places[np.lexsort((places[:, 0], places[:, 1]))[0]]
    order, flip = np.empty(count, np.int64), np.empty(count, np.int64)
    nearest_order(np.tile(places, 2), count, x, y, order, flip)
    return order


def assemble(
    placed: list[Placed], turns: Turns, tower: Tower, tower_at: Place, skirt: Skirt, courses: Courses, crew: Crew
) -> Toolpath:
    """Lay out the toolpath of all courses in their order; the skirt comes first.

    Parameters
    ----------
    placed
        The parts with their lines.
    turns
        Which of them are laid when.
    tower, tower_at
        What is purged after each change, and where its middle stands, mm.
    skirt, courses
        The skirt, and what the layers are made of.
    """
    pieces = [(k, piece) for k in range(len(courses.top)) for piece in _pieces(placed, turns, tower, tower_at, k)]
    loops = open_paths(skirt.rings.loops(), SKIRT, skirt.width)
    sizes = [_size(piece.paths, piece.first, piece.last) for _, piece in pieces]
    places = np.cumsum([(len(loops.role), len(loops.xy), 0), *sizes], axis=0)
    begins = np.searchsorted([k for k, _ in pieces], np.arange(len(courses.top) + 1))
    layer = places[begins, 0].astype(np.int64)
    layer[:1] = 0
    paths, points, passed = places[-1].tolist()
    climbing = any(piece.paths.climb is not None for _, piece in pieces)
    out = _empty(paths, points, passed, layer, courses, _repeats(pieces, turns, courses))
    out = replace(out, climb=np.empty((points, 2))) if climbing else out
    first = next((turn[0] for turn in turns.extruders if turn), 0)
    _put(
        out, (0, 0, 0), Piece(loops, 0, len(loops.role), _of_none(loops), (0.0, 0.0), -1, 0, first, skirt.height, None)
    )

    def lay(first: int, last: int) -> None:
        for (_, piece), at in zip(pieces[first:last], places[first:last].tolist(), strict=True):
            _put(out, at, piece)

    crew.each(lay, runs_of(np.diff(places[:, 1])))
    return out


def _pieces(placed: list[Placed], turns: Turns, tower: Tower, tower_at: Place, layer: int) -> Iterator[Piece]:
    """Yield what one layer is laid of: after each change what is purged, then the lines of that extruder."""
    turn, in_hand, number = turns.extruders[layer], turns.in_hand[layer], 0
    for extruder in turn:
        if 0 <= in_hand != extruder:
            number += 1
            yield from _purged(tower, tower_at, layer, number, extruder)
        in_hand = extruder
        yield from (_piece(placed, one, turns) for one in turns.stretches[layer] if one.extruder == extruder)
    if number == 0 and in_hand >= 0:
        yield from _purged(tower, tower_at, layer, 0, in_hand)


def _piece(placed: list[Placed], one: Stretch, turns: Turns) -> Piece:
    """Return a stretch ready to be copied; of one that other extruders have a share in, only its own paths."""
    part = placed[one.part]
    blocks, (first, last) = part.blocks[one.source], (one.first, one.last)
    paths, record = blocks.paths, blocks.records(first, last)
    if not one.whole:
        some = picked(blocks, one, turns.extruder_of[one.part])
        paths, record = _taken(paths, some), record[some - first]
        first, last = 0, len(paths.role)
    courses = turns.courses
    number, thick = int(courses.number[one.course]), float(courses.thick[one.course])
    same = one[1:] if paths.climb is None else None  # all but the course; no climb is like another
    return Piece(paths, first, last, record, part.at, one.part, number, one.extruder, thick, same)


def _purged(tower: Tower, at: Place, layer: int, turn: int, extruder: int) -> Iterator[Piece]:
    """Yield what of the tower is laid in a layer after one of its changes, or where there is none."""
    first, last = tower.of(layer, turn)
    if last > first:
        none = _of_none(tower.paths)[first:last]
        yield Piece(tower.paths, first, last, none, at, -1, layer, extruder, float(tower.thick[layer]), None)


def _of_none(paths: Ordered) -> NDArray[np.uint16]:
    """Say of paths that they lie in no zone."""
    return np.zeros(len(paths.role), np.uint16)


def _taken(paths: Ordered, some: Index) -> Ordered:
    """Return some paths; a way leads on inside only from a path that is laid just before."""
    start, place = chosen(paths.start, some)
    linked = paths.linked[some] & np.append(False, np.diff(some) == 1)
    passed = np.where(linked, np.diff(paths.via_start)[some], 0)
    via_start = starts_of(passed)
    via = np.repeat(paths.via_start[:-1][some] - via_start[:-1], passed) + np.arange(int(via_start[-1]))
    return Ordered(
        paths.xy[place],
        start,
        paths.role[some],
        paths.width[some],
        paths.height[some],
        paths.held[some],
        linked,
        paths.via[via],
        via_start,
        None if paths.climb is None else paths.climb[place],
    )


def _size(paths: Ordered, first: int, last: int) -> tuple[int, int, int]:
    """Return how many paths, points and points passed on ways a stretch has."""
    points, passed = paths.start[last] - paths.start[first], paths.via_start[last] - paths.via_start[first]
    return last - first, int(points), int(passed)


def _repeats(pieces: list[tuple[int, Piece]], turns: Turns, courses: Courses) -> Index:
    """Return for each layer the first with the same stretches after the same last one, or itself.

    First layers are laid in their own way, and after the last the nozzle leaves; so it does at a change of extruder.
    They are for themselves.
    """
    count = len(courses.top)
    own = np.zeros(count, np.bool_)
    own[courses.layer[courses.number <= 0]] = True
    own[courses.clear > 0] = True
    begins = np.searchsorted([k for k, _ in pieces], np.arange(count + 1)).tolist()
    out, seen = np.arange(count), dict[object, int]()
    for k in range(1, count - 1):
        first, last = begins[k], begins[k + 1]
        some = [(piece.same, piece.height) for _, piece in pieces[first - 1 : last]]
        if not own[k] and 0 < first < last and all(same for same, _ in some) and turns.is_steady(k):
            out[k] = seen.setdefault((tuple(some[1:]), some[0][0]), k)
    return out


def _empty(paths: int, points: int, vias: int, layer: Index, courses: Courses, repeats: Index) -> Toolpath:
    return Toolpath(
        np.empty((points, 2)),
        np.zeros(paths + 1, np.int64),
        np.empty(paths, np.uint8),
        np.empty(paths, np.float32),
        np.empty(paths, np.float32),
        np.empty(paths, np.int32),
        np.empty(paths, np.uint16),
        np.empty(paths, np.uint8),
        np.empty(paths, np.uint8),
        np.empty(paths, np.int32),
        np.empty((vias, 2)),
        np.zeros(paths + 1, np.int64),
        np.empty(paths, np.bool_),
        layer,
        courses,
        repeats,
        np.empty((0, 2)),
    )


def _put(out: Toolpath, at: Sequence[int], piece: Piece) -> None:
    """Copy paths into the toolpath from path, point and passed point ``at`` on, shifted."""
    (p, n, v), b, first, last = at, piece.paths, piece.first, piece.last
    a, z = int(b.start[first]), int(b.start[last])
    i_via, z_via = int(b.via_start[first]), int(b.via_start[last])
    to = slice(p, p + last - first)
    np.add(b.xy[a:z], piece.at, out=out.xy[n : n + z - a])
    np.add(b.via[i_via:z_via], piece.at, out=out.via[v : v + z_via - i_via])
    if len(out.climb):
        out.climb[n : n + z - a] = (0.0, 1.0) if b.climb is None else b.climb[a:z]
    out.start[p + 1 : p + last - first + 1] = b.start[first + 1 : last + 1] - a + n
    out.via_start[p + 1 : p + last - first + 1] = b.via_start[first + 1 : last + 1] - i_via + v
    out.role[to], out.width[to] = b.role[first:last], b.width[first:last]
    out.held[to], out.record[to] = b.held[first:last], piece.record
    out.retract[to] = b.linked[first:last]  # until it is decided
    out.part[to], out.own[to], out.extruder[to] = piece.part, piece.own, piece.extruder
    out.height[to] = np.where(b.height[first:last] > 0, b.height[first:last], piece.height)


def with_retraction(path: Toolpath, settings: TravelSettings) -> Toolpath:
    """Decide before which paths filament is drawn back."""
    _decide_retraction(
        path.xy, path.start, path.layer, path.extruder, path.courses.clear, settings.retract_from, path.retract
    )
    return path


@kernel
def _decide_retraction(xy, start, layer, extruder, clear, retract_from, retract):  # type: ignore[no-untyped-def]
    """Draw filament back before the very first path, at changes, before ways over what stands and long ones outside."""
    for k in range(layer.shape[0] - 1):
        for p in range(layer[k], layer[k + 1]):
            if p == 0 or (clear[k] > 0.0 and p == layer[k]) or extruder[p] != extruder[p - 1]:
                retract[p] = True
            elif retract[p]:
                retract[p] = False  # it was marked as linked
            else:
                a, b = start[p] - 1, start[p]
                retract[p] = np.hypot(xy[b, 0] - xy[a, 0], xy[b, 1] - xy[a, 1]) >= retract_from
