"""What values are made of: frozen records, checked also where one is changed, and the numbers in them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field

Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Number = Annotated[int, Field(ge=0)]
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
