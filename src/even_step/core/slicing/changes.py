"""Which extruder lays what of each layer, and in which turn: as few changes as can be."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import extruder as keys
from even_step.core.plane.ragged import Index
from even_step.core.slicing.ordering import Blocks
from even_step.core.toolpath.courses import Courses
from even_step.core.toolpath.roles import TABLE


@dataclass(frozen=True)
class LaidBy:
    """Which extruder lays what, counted from 1."""

    walls: Annotated[int, keys.WALLS]
    infill: Annotated[int, keys.INFILL]
    covers: Annotated[int, keys.COVERS]
    supports: Annotated[int, keys.SUPPORTS]
    contact: Annotated[int, keys.CONTACT]

    def of_role(self) -> NDArray[np.uint8]:
        """Return the number of the extruder, from 0, that lays each role of a part."""
        return np.array([getattr(self, role.tool) - 1 for role in TABLE], np.uint8)


class Stretch(NamedTuple):
    """Paths of one course that one extruder lays: of some part's foot, supports or itself, from ``first`` to ``last``.

    Where ``whole``, all of these are its; otherwise only those of roles that fall to the extruder.
    """

    course: int
    part: int
    source: int
    first: int
    last: int
    extruder: int
    whole: bool


@dataclass(frozen=True, eq=False)
class Turns:
    """What is laid, layer by layer.

    Attributes
    ----------
    courses : Courses
        What they are made of.
    stretches : of of Stretch
        Of each layer, in order.
    extruders : of of int
        Of each layer: the extruders in the order of their turns.
    extruder_of : of (R, roles) uint8
        Which extruder lays each role of each placed part, by what holds in its zones.
    in_hand : of int
        Which extruder is in hand when each layer begins, below 0 for none yet.
    """

    courses: Courses
    stretches: tuple[tuple[Stretch, ...], ...]
    extruders: tuple[tuple[int, ...], ...]
    in_hand: tuple[int, ...]
    extruder_of: tuple[NDArray[np.uint8], ...]

    def changes(self) -> list[tuple[int, int, int]]:
        """Return layer, extruder before and after of each change."""
        return [
            (k, a, b)
            for k, (before, turn) in enumerate(zip(self.in_hand, self.extruders, strict=True))
            for a, b in pairwise((before, *turn))
            if 0 <= a != b
        ]

    def is_steady(self, layer: int) -> bool:
        """Tell whether one extruder lays a layer, was in hand before it and lays the next."""
        after = self.extruders[layer + 1][:1] if layer + 1 < len(self.extruders) else ()
        return len({self.in_hand[layer], *self.extruders[layer], *after}) == 1


def take_turns(courses: Courses, blocks: Sequence[tuple[Blocks, ...]], extruder_of: list[NDArray[np.uint8]]) -> Turns:
    """Part each course by extruders; in each layer the one in hand goes first, then the others in their order.

    Parameters
    ----------
    courses
        In the order in which they are laid.
    blocks
        Of the foot, the supports and the lines of each placed part.
    extruder_of : of (R, roles) uint8
        Which extruder lays each role of each placed part, by what holds in its zones.
    """
    single = len({number for one in extruder_of for number in one.ravel().tolist()}) <= 1
    known: dict[tuple[int, int, int, int], tuple[int, ...]] = {}
    stretches, extruders, before = [], [], []
    in_hand = -1
    begins = courses.begins().tolist()
    for first, end in pairwise(begins):
        pieces: list[Stretch] = []
        for c in range(first, end):
            part, source = int(courses.part[c]), int(courses.source[c])
            some = blocks[part][source]
            b = some.which[courses.item[c]]
            place = part, source, int(some.block[b]), int(some.block[b + 1])
            if place not in known:
                known[place] = _used(some, place, extruder_of[part], single=single)
            pieces += [Stretch(c, *place, e, len(known[place]) == 1) for e in known[place]]
        before.append(in_hand)
        turn = _in_turn({piece.extruder for piece in pieces if piece.last > piece.first}, in_hand)
        in_hand = turn[-1] if turn else in_hand
        rank = {number: i for i, number in enumerate(turn)}
        stretches.append(tuple(sorted(pieces, key=lambda piece: rank.get(piece.extruder, 0))))
        extruders.append(turn)
    return Turns(courses, tuple(stretches), tuple(extruders), tuple(before), tuple(extruder_of))


def _used(some: Blocks, place: tuple[int, int, int, int], table: NDArray[np.uint8], *, single: bool) -> tuple[int, ...]:
    _, _, first, last = place
    if single or last == first:
        return (int(table[0, 0]),)
    return tuple(np.unique(table[some.records(first, last), some.paths.role[first:last]]).tolist())


def _in_turn(used: Iterable[int], in_hand: int) -> tuple[int, ...]:
    """Return the extruders of a layer in the order of their turns."""
    rest = sorted(used)
    return tuple(sorted(rest, key=lambda number: (number != in_hand, number)))


def picked(some: Blocks, piece: Stretch, table: NDArray[np.uint8]) -> Index:
    """Return the paths of a stretch that others have a share in."""
    role, record = some.paths.role[piece.first : piece.last], some.records(piece.first, piece.last)
    return piece.first + np.flatnonzero(table[record, role] == piece.extruder)
