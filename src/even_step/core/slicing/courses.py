"""The sequencer: in which order the layers of all parts are laid."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import order
from even_step.core.plane.ragged import Index
from even_step.core.toolpath.courses import FOOT, PART, SUPPORTS, Courses


@dataclass(frozen=True)
class PartOrder:
    """Whether parts are laid together or one by one."""

    parts: Annotated[str, order.PARTS]


@dataclass(frozen=True, eq=False)
class Pile:
    """All courses of one copy: those of its foot, of its supports, then its own.

    Attributes
    ----------
    top, thick : (C,) float64
        mm.
    number, source, item : (C,) int64
        As in ``Courses``.
    """

    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    number: Index
    source: Index
    item: Index


class Stack(NamedTuple):
    """Courses of one source from the bed up: tops and thicknesses, mm, and the part's own layers they go with."""

    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    number: Index


def pile_of(foot: Stack, supports: Stack, own: Stack) -> Pile:
    """Put a part and its supports on its foot."""
    stacks = foot, supports, own
    counts = [len(stack.top) for stack in stacks]
    top, thick, number = (np.concatenate([stack[i] for stack in stacks]) for i in range(3))
    items = np.concatenate([np.arange(count) for count in counts])
    return Pile(top, thick, number, np.repeat((FOOT, SUPPORTS, PART), counts), items)


def by_top(piles: Sequence[Pile], way: Index) -> Courses:
    """Lay all parts together: whatever has the lowest top comes first, so that the nozzle is never below anything laid.

    Parameters
    ----------
    piles
        Of each placed part.
    way : (P,) int64
        The order in which parts of one top are visited; back in every other layer.
    """
    part, all_ = _all(piles)
    top, layer = np.unique(all_.top, return_inverse=True)
    rank = np.argsort(way)[part]
    laid = np.lexsort((all_.source, np.where(layer % 2 == 0, rank, -rank), layer))
    return _courses(part, all_, laid, layer[laid], top, np.zeros(len(top)))


def in_sequence(wished: tuple[int, ...], otherwise: Index) -> Index:
    """Return the order of parts: as somebody wishes it (the place of each part, below 0 for any), the others after."""
    rank = np.argsort(otherwise)
    places = np.array(wished, np.int64)
    return np.lexsort((rank, np.where(places < 0, len(places), places)))


def one_by_one(piles: Sequence[Pile], sequence: Index, above: float, strikes: NDArray[np.bool_]) -> Courses:
    """Lay each part whole before the next.

    Parameters
    ----------
    piles
        Of each placed part.
    sequence : (P,) int64
        Which part comes when.
    above
        How far over everything that stands the nozzle passes to the next part, mm.
    strikes : (P, P) bool
        Row ``i``, column ``j``: part ``i`` stands and the head strikes it while ``j`` is laid.
    """
    part, all_ = _all(piles)
    laid = np.lexsort((all_.source, all_.top, np.argsort(sequence)[part]))
    top, of = all_.top[laid], part[laid]
    fresh = np.append(True, (np.diff(top) != 0) | (np.diff(of) != 0))
    stands = np.maximum.accumulate(top)
    clear = np.zeros(len(top))
    later = np.flatnonzero(np.diff(of) != 0) + 1
    clear[later] = stands[later - 1] + above
    pairs = [(int(i), int(j)) for k, j in enumerate(sequence) for i in sequence[:k] if strikes[i, j]]
    return _courses(part, all_, laid, np.cumsum(fresh) - 1, top[fresh], clear[fresh], tuple(pairs))


def _courses(
    part: Index,
    all_: Pile,
    laid: Index,
    layer: Index,
    top: NDArray[np.float64],
    clear: NDArray[np.float64],
    strikes: tuple[tuple[int, int], ...] = (),
) -> Courses:
    return Courses(
        part[laid], all_.number[laid], all_.source[laid], all_.item[laid], all_.thick[laid], layer, top, clear, strikes
    )


def _all(piles: Sequence[Pile]) -> tuple[Index, Pile]:
    part = np.repeat(np.arange(len(piles)), [len(pile.top) for pile in piles])
    return part, Pile(*(np.concatenate([getattr(pile, name) for pile in piles]) for name in Pile.__dataclass_fields__))
