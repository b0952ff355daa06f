"""Which unit a file without one may have meant."""

from __future__ import annotations

from even_step.core.mesh.mesh import Model

SMALLEST, LARGEST = 8.0, 1000.0  # mm; what people print lies between, nearly always
TRIES = (("inch", 25.4), ("cm", 10.0), ("m", 1000.0))


def proposed_unit(model: Model) -> str | None:
    """Propose a unit for a part that is strangely small, or none.

    A part that arrives 5 units long was rather 5 inches than 5 mm. The first unit that brings its largest
    side into what is usually printed is proposed; it is never applied unasked.
    """
    if model.unit_stated:
        return None
    bounds = model.merged().bounds
    largest = float((bounds[1] - bounds[0]).max())
    if largest >= SMALLEST:
        return None
    for unit, factor in TRIES:
        if SMALLEST <= largest * factor <= LARGEST:
            return unit
    return None
