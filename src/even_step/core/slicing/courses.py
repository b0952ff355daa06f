"""The sequencer: in which order the layers of all parts are laid."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import order
from even_step.core.plane.ragged import Index
from even_step.core.slicing.heights import Heights
from even_step.core.toolpath.courses import Courses


@dataclass(frozen=True)
class PartOrder:
    """Whether parts are laid together or one by one."""

    parts: Annotated[str, order.PARTS]


def by_top(heights: Sequence[Heights], way: Index) -> Courses:
    """Lay all parts together: whatever has the lowest top comes first, so that the nozzle is never below anything laid.

    Parameters
    ----------
    heights
        Of each placed part.
    way : (P,) int64
        The order in which parts of one top are visited; back in every other layer.
    """
    part, number, thick, tops = _all(heights)
    top, layer = np.unique(tops, return_inverse=True)
    rank = np.argsort(way)[part]
    laid = np.lexsort((np.where(layer % 2 == 0, rank, -rank), layer))
    return Courses(part[laid], number[laid], thick[laid], layer[laid], top, np.zeros(len(top)))


def in_sequence(wished: tuple[int, ...], otherwise: Index) -> Index:
    """Return the order of parts: as somebody wishes it (the place of each part, below 0 for any), the others after."""
    rank = np.argsort(otherwise)
    places = np.array(wished, np.int64)
    return np.lexsort((rank, np.where(places < 0, len(places), places)))


def one_by_one(heights: Sequence[Heights], sequence: Index, above: float, strikes: NDArray[np.bool_]) -> Courses:
    """Lay each part whole before the next.

    Parameters
    ----------
    heights
        Of each placed part.
    sequence : (P,) int64
        Which part comes when.
    above
        How far over everything that stands the nozzle passes to the next part, mm.
    strikes : (P, P) bool
        Row ``i``, column ``j``: part ``i`` stands and the head strikes it while ``j`` is laid.
    """
    part, number, thick, top = _all(heights)
    rank = np.argsort(sequence)[part]
    laid = np.lexsort((number, rank))
    part, number, thick, top = part[laid], number[laid], thick[laid], top[laid]
    stands = np.maximum.accumulate(top)
    clear = np.zeros(len(top))
    later = np.flatnonzero(number[1:] == 0) + 1
    clear[later] = stands[later - 1] + above
    pairs = [(int(i), int(j)) for k, j in enumerate(sequence) for i in sequence[:k] if strikes[i, j]]
    return Courses(part, number, thick, np.arange(len(top)), top, clear, tuple(pairs))


def _all(heights: Sequence[Heights]) -> tuple[Index, Index, NDArray[np.float64], NDArray[np.float64]]:
    counts = np.array([len(one.top) for one in heights], np.int64)
    part = np.repeat(np.arange(len(counts)), counts)
    number = np.arange(len(part)) - np.repeat(np.cumsum(counts) - counts, counts)
    thick = np.concatenate([one.thick for one in heights])
    return part, number, thick, np.concatenate([one.top for one in heights])
