"""Where a layer cannot be worked out: told with its part and its height instead of as an error of the library."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import numpy as np

from even_step.core.errors import GeometryError
from even_step.core.plane.valid import LibraryError
from even_step.core.slicing.heights import Heights

FAULTS = (GeometryError, LibraryError)
T = TypeVar("T")


def guarded(make: Callable[[], T], part: str, layers: Callable[[], Heights], attempt: Callable[[Heights], None]) -> T:
    """Do what may fail at some layer's geometry.

    Parameters
    ----------
    make
        The work.
    part
        Whose layers they are.
    layers
        Returns its layers.
    attempt
        Does all of the work on some of the layers; called to find the layer it fails at.

    Raises
    ------
    GeometryError
        That names the part and the layer.
    """
    try:
        return make()
    except FAULTS as error:
        heights = layers()
        layer = faulty_layer(heights, attempt)
        raise GeometryError(
            f"layer {layer + 1}, at {heights.top[layer]:.2f} mm, could not be worked out",
            subject=part,
            remedy="repair the model, turn it a little, or choose another layer height",
            height=float(heights.top[layer]),
        ) from error


def faulty_layer(heights: Heights, attempt: Callable[[Heights], None]) -> int:
    """Return the layer at which an attempt fails, by halves; about where it was, if it fails at no half alone."""
    low, high = 0, len(heights.top)
    while high - low > 1:
        middle = (low + high) // 2
        for first, last in ((low, middle), (middle, high)):
            try:
                attempt(Heights(heights.top[first:last], heights.thick[first:last], heights.base))
            except FAULTS:
                low, high = first, last
                break
        else:
            break
    return int(np.clip((low + high - 1) // 2, 0, max(0, len(heights.top) - 1)))
