"""Which unit a file without one may have meant."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Model

SMALLEST, LARGEST = 8.0, 1000.0  # mm; what people print lies between, nearly always
DOUBTFUL = 30.0  # units: what is smaller may still be meant in another one
TRIES = (("inch", 25.4), ("cm", 10.0), ("m", 1000.0))
#: What sizes are whole multiples of where they were drawn in a unit.
ROUND_IN = {"inch": 1 / 16, "cm": 1 / 10}
WITHIN = 1e-3  # units
MOST_CM = 5.0  # units; a larger part is hardly drawn in centimetres


def proposed_unit(model: Model, bed: float = 300.0) -> str | None:
    """Propose a unit for a part that is strangely small, or none.

    A part that arrives 5 units long was rather 5 inches than 5 mm. The first unit that brings its largest
    side into what is usually printed is proposed; it is never applied unasked. Up to ``DOUBTFUL`` units a larger
    unit is proposed when the part then still fits a ``bed`` (mm) and all its sizes are round in that unit;
    centimetres only below ``MOST_CM``.
    """
    if model.unit_stated:
        return None
    bounds = model.merged().bounds
    largest = float((bounds[1] - bounds[0]).max())
    if largest >= SMALLEST:
        return _round_one(bounds[1] - bounds[0], bed) if largest < DOUBTFUL else None
    if largest < MOST_CM and _round_one(bounds[1] - bounds[0], bed) == "cm":
        return "cm"
    for unit, factor in TRIES:
        if SMALLEST <= largest * factor <= LARGEST:
            return unit
    return None


def _round_one(sizes: NDArray[np.float64], bed: float) -> str | None:
    """Return the first unit in which sizes are round and still fit a bed."""
    for unit, factor in TRIES:
        beyond = sizes.max() * factor > bed or (unit == "cm" and sizes.max() >= MOST_CM)
        if unit not in ROUND_IN or beyond:
            continue
        steps = sizes / ROUND_IN[unit]
        if (np.abs(steps - np.round(steps)) * ROUND_IN[unit] < WITHIN).all():
            return unit
    return None
