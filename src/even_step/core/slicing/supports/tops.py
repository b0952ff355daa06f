"""At which heights supports may end: their own layers, and just under flat undersides."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane.ragged import Index
from even_step.core.slicing.heights import Heights

TINY = 1e-6  # mm
SAME = 5e-4  # mm: heights no further apart are one


@dataclass(frozen=True, eq=False)
class Tops:
    """Where columns may end.

    Attributes
    ----------
    level : (M + 1,) float64
        Where the layers of supports begin and end, from the lowest bottom on, mm.
    top : (K,) float64
        Heights at which a column may end, rising, mm.
    base : (K,) int64
        On which level the last layer then stands.
    is_level : (K,) bool
        Whether it is the next level.
    """

    level: NDArray[np.float64]
    top: NDArray[np.float64]
    base: Index
    is_level: NDArray[np.bool_]


def levels(heights: Heights, bottom: float, at_once: int, most: float) -> NDArray[np.float64]:
    """Return where the layers of supports begin and end, mm.

    Parameters
    ----------
    heights
        Of the part; supports keep to them, its first layer by itself.
    bottom
        What supports stand on: the bed, or a raft, mm.
    at_once
        How many of the part's layers are laid at once, as far as they are no thicker than ``most`` mm.
    """
    first = float(heights.top[0]) - bottom
    pieces = max(1, int(np.ceil(first / most - TINY)))
    out = [bottom + first * i / pieces for i in range(pieces + 1)]
    waiting = 0
    for k in range(1, len(heights.top)):
        waiting += 1
        last = k + 1 == len(heights.top)
        over = not last and float(heights.top[k + 1]) - out[-1] > most + TINY
        if waiting == at_once or last or over:
            out.append(float(heights.top[k]))
            waiting = 0
    return np.round(np.array(out), 3)


def tops_of(level: NDArray[np.float64], under: NDArray[np.float64], least: float) -> Tops:
    """Return where columns may end: at each level, and at each height that a flat underside asks for.

    A last layer that would be thinner than ``least`` is laid as one with the layer beneath.
    """
    asked = np.unique(np.round(under, 3))
    near = np.searchsorted(level, asked)
    apart = np.minimum(
        np.abs(asked - level[np.minimum(near, len(level) - 1)]), np.abs(asked - level[np.maximum(near - 1, 0)])
    )
    asked = asked[(asked > level[0] + least - TINY) & (asked < level[-1] - TINY) & (apart > SAME)]
    base = np.searchsorted(level, asked, side="right") - 1
    thin = (asked - level[base] < least - TINY) & (base > 0)
    base = base - thin
    top = np.concatenate((level[1:], asked))
    bases = np.concatenate((np.arange(len(level) - 1), base))
    order = np.lexsort((bases, top))
    kind = np.arange(len(top)) < len(level) - 1
    return Tops(level, top[order], bases[order], kind[order])
