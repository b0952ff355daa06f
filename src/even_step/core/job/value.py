"""What values are made of: frozen records, checked also where one is changed, and the numbers in them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field

#: What is measured is neither nothing nor beyond all measure: numbers near either end come from a slip or from malice.
Positive = Annotated[float, Field(ge=1e-6, le=1e7, allow_inf_nan=False)]
Finite = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)]
LONGEST_NAME = 200
Name = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]
#: The name of a file.
FileName = Annotated[str, Field(max_length=4096, pattern=r"^[^\x00]*$")]
Number = Annotated[int, Field(ge=0, le=1_000_000_000)]
#: What was measured of a print.
Figure = Annotated[float, Field(allow_inf_nan=False)]
Pair = tuple[Finite, Finite]
Point = tuple[Finite, Finite, Finite]


class Frozen(BaseModel):
    """A value: frozen, and strict about what it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    following: ClassVar[tuple[str, ...]] = ()  # fields that may change with any other

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Return a copy with some fields changed, each checked as if the value were made anew.

        Raises
        ------
        ValidationError
            When it cannot be.
        """
        if not update:
            return super().model_copy(deep=deep)
        fields = {name: getattr(self, name) for name in type(self).model_fields}
        made = type(self).model_validate({**fields, **update})
        return super().model_copy(update={name: getattr(made, name) for name in (*update, *self.following)})


def name_from(text: str, instead: str = "part") -> str:
    """Make a name of what a file or its models are called: letters that can be shown, and no more than fit."""
    shown = "".join(letter if letter.isprintable() else "_" for letter in text)
    return shown[:LONGEST_NAME].strip() or instead
