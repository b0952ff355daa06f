"""What a hand put on a part for its supports: posts, and marks on its surface.

Places are mm in the part's frame: the file's numbers times its unit, before size and turn, so that they move, turn and
size with the part.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from even_step.core.job.ids import Id
from even_step.core.job.value import Finite, Frozen, Number, Pair, Point

Facets = Annotated[tuple[Number, ...], AfterValidator(lambda facets: tuple(sorted(set(facets))))]
Size = Annotated[float, Field(gt=0, le=200, allow_inf_nan=False)]


class Post(Frozen):
    """A support post: the spot on the part's surface that it holds, and its diameter, mm.

    It stands straight beneath, or leans to ``foot`` on the bed, a place at the height of its spot.
    """

    id: Id = ""
    at: Point
    diameter: Size = 3.0
    foot: Pair | None = None


class Mark(Frozen):
    """A patch of a part's surface, and what it is to supports.

    What is marked *hold* is held, also where it does not hang past the limit; nothing touches what is marked
    *keep-clear*; a *show* face is touched by no more than ``supports.show_contact``.

    The patch is what lies within ``radius`` mm of a spot, as far as the surface carries; or, where ``crease`` is given,
    the surface round the spot up to folds as sharp, degrees; or ``facets``, counted through all bodies of the model.
    """

    id: Id = ""
    kind: Literal["hold", "keep-clear", "show"]
    near: Point | None = None
    radius: Size = 3.0
    crease: Annotated[Finite, Field(ge=0, le=180)] | None = None
    facets: Facets = ()

    @model_validator(mode="after")
    def _lies_somewhere(self) -> Self:
        if (self.near is None) == (not self.facets):
            raise ValueError("a mark lies either near a spot or on facets; give one of the two")
        return self
