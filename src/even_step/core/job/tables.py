"""Tables of settings: by key, checked for where they hold, and as frozen as what holds them."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import AfterValidator, BeforeValidator, Field

from even_step.core.catalogue import checked
from even_step.core.errors import EvenStepError


def flat_table(table: dict[str, Any]) -> dict[str, Any]:
    """Turn nested tables into dotted keys: ``{infill: {density: 10}}`` is ``{infill.density: 10}``."""
    flat: dict[str, Any] = {}
    for key, value in table.items():
        if isinstance(value, dict):
            flat.update({f"{key}.{name}": item for name, item in flat_table(value).items()})
        else:
            flat[str(key)] = value
    return flat


def _flat(table: object) -> object:
    return flat_table(table) if isinstance(table, dict) else table


class Table(dict[str, Any]):
    """Settings by key, as frozen as what holds them."""

    def _refuse(self, *_: object, **__: object) -> Any:
        raise TypeError("settings are part of a value and cannot be written to; make a new job")

    __setitem__ = __delitem__ = __ior__ = clear = pop = popitem = setdefault = update = _refuse

    def __hash__(self) -> int:  # type: ignore[override]
        """Hash by content, which stays."""
        return hash(frozenset(self.items()))

    def __reduce__(self) -> tuple[type[Table], tuple[dict[str, Any]]]:
        """Pickle by content: filling it key by key is refused."""
        return Table, (dict(self),)


def _checked_for(scope: str) -> AfterValidator:
    def check(table: dict[str, Any]) -> Table:
        try:
            return Table(checked(table, scope))
        except EvenStepError as error:
            raise ValueError(str(error)) from error

    return AfterValidator(check)


_Table = Annotated[dict[str, Any], BeforeValidator(_flat), Field(validate_default=True)]
MachineSettings = Annotated[_Table, _checked_for("machine")]
MaterialSettings = Annotated[_Table, _checked_for("material")]
RecipeSettings = Annotated[_Table, _checked_for("recipe")]
JobSettings = Annotated[_Table, _checked_for("job")]
PartSettings = Annotated[_Table, _checked_for("part")]
ZoneSettings = Annotated[_Table, _checked_for("zone")]
