"""Zones of a part: shapes within which some settings differ.

Places are mm in the part's frame: the file's numbers times its unit, before size and turn, so that zones move, turn and
size with the part.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from even_step.core.job.ids import Id
from even_step.core.job.tables import ZoneSettings
from even_step.core.job.value import Finite, Frozen, Number, Point

MOST_ZONES = 1000
LEAST_SIZE, MOST_SIZE = 0.001, 10_000.0  # mm
Size = Annotated[float, Field(ge=LEAST_SIZE, le=MOST_SIZE, allow_inf_nan=False)]


class Zone(Frozen):
    """A shape over a part, and what holds within it.

    A *box*, *cylinder* or *ball* lies about its ``middle`` with a ``size`` along x, y and z (of a cylinder two
    diameters and a height), turned about x, then y, then z, in degrees; a *body* is one of the part's own, by its
    number in the file. ``snap`` moves it, as it stands on the bed, to reach from the first layer up or from the last
    one down, or stretches it to whole layers.
    """

    id: Id = ""
    name: Annotated[str, Field(max_length=200)] = ""
    shape: Literal["box", "cylinder", "ball", "body"]
    middle: Point = (0.0, 0.0, 0.0)
    turn: tuple[Finite, Finite, Finite] = (0.0, 0.0, 0.0)
    size: tuple[Size, Size, Size] | None = None
    body: Number | None = None
    snap: Literal["none", "layers", "first", "last"] = "none"
    settings: ZoneSettings = {}

    @property
    def title(self) -> str:
        """What it is called."""
        return self.name or self.id

    @model_validator(mode="after")
    def _has_what_its_shape_needs(self) -> Self:
        wanted = "body" if self.shape == "body" else "size"
        for name in ("body", "size"):
            if (getattr(self, name) is not None) != (name == wanted):
                raise ValueError(f"a {self.shape} needs {wanted}" + (f" and takes no {name}" if name != wanted else ""))
        return self
