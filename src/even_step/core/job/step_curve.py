"""The step curve of a part: knots by which a hand says how thick its layers are, from where to where."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, model_validator

from even_step.core.job.value import Frozen

MOST_KNOTS = 200
HIGHEST, THINNEST, THICKEST = 10_000.0, 0.01, 10.0  # mm
Height = Annotated[float, Field(ge=0, le=HIGHEST, allow_inf_nan=False)]
Thickness = Annotated[float, Field(ge=THINNEST, le=THICKEST, allow_inf_nan=False)]


class Knot(Frozen):
    """From where to where over the part's bottom, as it stands, layers are of a height of their own; mm.

    Where knots lie over one another the later wins. The heights beside it ease to it where layers follow the surface.
    """

    low: Height
    high: Height
    height: Thickness

    @model_validator(mode="after")
    def _reaches_up(self) -> Self:
        if self.high <= self.low:
            raise ValueError("a knot ends above where it begins")
        return self
