"""What is laid on a bed, in order: each part's own layers, one after another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Index = NDArray[np.int64]
FOOT, SUPPORTS, PART = 0, 1, 2
ALL_HELD = 10  # tenths of a line's width that lie on the layer below


@dataclass(frozen=True, eq=False)
class Courses:
    """A course is one of a part's own layers; a layer of the bed is what shares a top.

    Attributes
    ----------
    part : (C,) int64
        Number of the placed part.
    number : (C,) int64
        Which of its own layers, counted from 0; of its foot below 0 beneath it, 0 beside the first.
    source : (C,) int64
        Whether its foot is laid, its supports or the part itself: ``FOOT``, ``SUPPORTS``, ``PART``.
    item : (C,) int64
        Which layer of those.
    thick : (C,) float64
        mm.
    layer : (C,) int64
        The layer of the bed, not falling.
    top : (L,) float64
        Height of each layer's top, mm. It rises, unless the parts are laid one by one.
    clear : (L,) float64
        How high the nozzle must be on its way to a layer, mm; 0 where nothing stands in that way.
    strikes : of (int, int)
        Placed parts that stand, each with one that cannot be laid without the head striking it.
    """

    part: Index
    number: Index
    source: Index
    item: Index
    thick: NDArray[np.float64]
    layer: Index
    top: NDArray[np.float64]
    clear: NDArray[np.float64]
    strikes: tuple[tuple[int, int], ...] = ()

    def layers_of(self, part: int) -> Index:
        """Return the layer of the bed of each of a placed part's own layers."""
        mine = np.flatnonzero((self.part == part) & (self.source == PART))
        return self.layer[mine[np.argsort(self.item[mine])]]

    def lowest(self) -> Index:
        """Return the number of each placed part's course that is laid on the bed, (P,): below 0 over a raft."""
        out = np.zeros(int(self.part.max(initial=-1)) + 1, np.int64)
        np.minimum.at(out, self.part, self.number)
        return out

    def on_bed(self) -> NDArray[np.bool_]:
        """Tell which courses are laid on the bed, (C,)."""
        return np.asarray(self.number == self.lowest()[self.part])

    def thickest(self) -> NDArray[np.float64]:
        """Return the thickness of the thickest course of each layer, (L,), mm."""
        out = np.zeros(len(self.top))
        np.maximum.at(out, self.layer, self.thick)
        return out

    def begins(self) -> Index:
        """Return the first course of each layer, and how many there are, (L + 1,)."""
        return np.searchsorted(self.layer, np.arange(len(self.top) + 1))
