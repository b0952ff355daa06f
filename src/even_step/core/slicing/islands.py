"""Pieces of a layer that touch nothing of the layer below: they begin in the air."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.regions import Outlines


@dataclass(frozen=True, eq=False)
class Islands:
    """Islands of a solid.

    Attributes
    ----------
    shape : (n,) regions
        Single polygons, mm.
    layer : (n,) int64
        The layer each begins in.
    """

    shape: Regions
    layer: Index


def islands(outlines: Outlines) -> Islands:
    """Find the islands of a solid; the first layer lies on the bed."""
    which = outlines.which
    pairs, back = np.unique(np.stack((which[1:], which[:-1]), axis=1), axis=0, return_inverse=True)
    changed = np.flatnonzero(pairs[:, 0] != pairs[:, 1]) if len(pairs) else np.empty(0, np.int64)
    if len(changed) == 0:
        return Islands(region.nothing(0), np.empty(0, np.int64))
    pieces, owner = region.pieces(outlines.outline[pairs[changed, 0]])
    alone = np.flatnonzero(~region.touches(pieces, outlines.outline[pairs[changed[owner], 1]]))
    layers = [np.flatnonzero(back.ravel() == changed[owner[i]]) + 1 for i in alone]
    count = [len(some) for some in layers]
    none = np.empty(0, np.int64)
    return Islands(np.repeat(pieces[alone], count), np.concatenate(layers) if layers else none)
