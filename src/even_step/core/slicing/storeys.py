"""Layers that are laid at once, with lines several times as high as one of them: storeys."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

STACKED = 0.8  # bores; no line is higher


def storeys(thick: NDArray[np.float64], wanted: int, highest: float) -> NDArray[np.int64]:
    """Return the layers of each storey, (n, k), from the bed up; the first layer is laid by itself.

    Parameters
    ----------
    thick : (L,) float64
        Thickness of the layers, mm.
    wanted
        How many layers are laid at once; fewer where together they would be higher than ``highest`` mm. There are no
        storeys where that leaves less than two.
    highest
        A line may be, mm.
    """
    most = int(highest / float(thick[1:].max()) + 1e-9) if len(thick) > 1 else 1
    at_once = min(wanted, most)
    if at_once < 2:
        return np.empty((0, 1), np.int64)
    count = (len(thick) - 1) // at_once
    return 1 + np.arange(count * at_once).reshape(count, at_once)
