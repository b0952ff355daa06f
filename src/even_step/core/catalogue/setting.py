"""What a setting is: one declaration that makes the sheet's line, the check and the documentation."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, Literal, TypeAlias, TypeVar, cast, get_type_hints

from even_step.core.errors import SettingError

Value: TypeAlias = float | int | bool | str
Kind = Literal[
    "length",
    "lengths",
    "count",
    "percent",
    "angle",
    "angles",
    "speed",
    "acceleration",
    "temperature",
    "area",
    "volume",
    "time",
    "ratio",
    "switch",
    "choice",
]
Level = Literal["short", "wider", "everything"]
#: Which limit of the machine a value has to keep, besides its own range.
Limit = Literal["", "layer_height", "line_width", "speed", "acceleration", "nozzle_temperature", "bed_temperature"]

UNITS: dict[str, str] = {
    "length": "mm",
    "lengths": "mm",
    "count": "",
    "percent": "%",
    "angle": "°",
    "angles": "°",
    "speed": "mm/s",
    "acceleration": "mm/s²",
    "temperature": "°C",
    "area": "mm²",
    "volume": "mm³",
    "time": "s",
    "ratio": "",
    "switch": "",
    "choice": "",
}
#: Where settings hold: the later word wins.
SCOPES = ("machine", "material", "recipe", "job", "part")
FOR_ALL, IN_ZONES = SCOPES[:-1], (*SCOPES, "zone")
MOST_NUMBERS = 100
YES, NO = ("yes", "on", "true", "1"), ("no", "off", "false", "0")


@dataclass(frozen=True)
class Setting:
    """One setting.

    ``effect`` says what it does, ``cost`` in which direction it costs time, plastic, strength or looks. ``range``
    refuses, ``advised`` warns. ``synonyms`` are further words by which it can be found; ``renamed_choices`` are pairs
    of a word that a choice had before and the one it has.
    """

    key: str
    label: str
    kind: Kind
    default: Value
    effect: str
    range: tuple[float, float] | None = None
    advised: tuple[float, float] | None = None
    step: float = 0.0
    choices: tuple[str, ...] = ()
    level: Level = "everything"
    limit: Limit = ""
    scopes: tuple[str, ...] = FOR_ALL
    synonyms: tuple[str, ...] = ()
    renamed_from: tuple[str, ...] = ()
    renamed_choices: tuple[tuple[str, str], ...] = ()
    cost: str = ""

    @property
    def explanation(self) -> str:
        """What it does, and what that costs."""
        return f"{self.effect} {self.cost}".strip()

    @property
    def group(self) -> str:
        """The first word of the key."""
        return self.key.partition(".")[0]

    @property
    def unit(self) -> str:
        """The unit its values are in; empty for counts, switches and choices."""
        return UNITS[self.kind]

    @property
    def type(self) -> str:
        """``number``, ``numbers`` (one or more), ``integer``, ``switch`` or ``choice``."""
        own = {"count": "integer", "switch": "switch", "choice": "choice", "angles": "numbers", "lengths": "numbers"}
        return own.get(self.kind, "number")

    def value_of(self, raw: object) -> Value:
        """Check a value and give it its type.

        Parameters
        ----------
        raw
            A number, a truth value or a word, or a text that holds one; of numbers, a list or a text of several.

        Raises
        ------
        SettingError
            When it is of another kind, not finite, no such choice, or outside the range; the range or the
            choices are named.
        """
        if self.kind == "choice":
            return self._choice(raw)
        if self.kind == "switch":
            return self._switch(raw)
        if self.type == "numbers":
            return self._numbers(raw)
        return self._number(raw)

    def _numbers(self, raw: object) -> float | str:
        """Return one number, or several as a text with blanks between them; none where none is the default."""
        if not isinstance(raw, str | list | tuple):
            return self._number(raw)
        pieces = raw.replace(",", " ").replace(self.unit, " ").split() if isinstance(raw, str) else raw
        if not pieces and self.default == "":
            return ""
        if not 1 <= len(pieces) <= MOST_NUMBERS:
            told = f"{len(pieces)} numbers" if pieces else "no number"
            raise SettingError(f"holds {told}", subject=self.key, remedy=f"1 to {MOST_NUMBERS} of them")
        numbers = [self._number(piece) for piece in pieces]
        return numbers[0] if len(numbers) == 1 else " ".join(f"{number:g}" for number in numbers)

    def _choice(self, raw: object) -> str:
        word = raw.strip().lower() if isinstance(raw, str) else ""
        word = dict(self.renamed_choices).get(word, word)
        if word in self.choices:
            return word
        raise SettingError(f"{raw!s} is no choice", subject=self.key, remedy="one of " + ", ".join(self.choices))

    def _switch(self, raw: object) -> bool:
        word = str(raw).strip().lower()
        if word not in YES + NO:
            raise SettingError(f"{raw!s} is neither on nor off", subject=self.key, remedy="on or off")
        return word in YES

    def _number(self, raw: object) -> float | int:
        text = str(raw).strip()
        for suffix in (self.unit, "%"):
            if suffix and isinstance(raw, str):
                text = text.removesuffix(suffix).strip()
        try:
            number = math.nan if isinstance(raw, bool) else float(text)
        except ValueError:
            number = math.nan
        wanted = "a whole number" if self.kind == "count" else "a number"
        if not math.isfinite(number) or (self.kind == "count" and number != int(number)):
            raise SettingError(f"{raw!s} is not {wanted}", subject=self.key, remedy=self.range_text())
        if self.range and not self.range[0] <= number <= self.range[1]:
            raise SettingError(
                f"{number:g}{self._space_unit()} is out of range", subject=self.key, remedy=self.range_text()
            )
        return int(number) if self.kind == "count" else number

    def range_text(self) -> str:
        """Say the range in words."""
        if self.range is None:
            return "any number"
        return f"{self.range[0]:g} to {self.range[1]:g}{self._space_unit()}"

    def _space_unit(self) -> str:
        return f" {self.unit}" if self.unit else ""


def numbers_of(value: Value) -> tuple[float, ...]:
    """Return the numbers that a value of several holds."""
    return tuple(float(piece) for piece in str(value).split())


T = TypeVar("T")


@cache
def settings_read_by(record: type) -> dict[str, Setting]:
    """Return which setting each field of a stage's record reads.

    A field names its setting in its annotation: ``count: Annotated[int, walls.COUNT]``.
    """
    hints = get_type_hints(record, include_extras=True)
    found = {}
    for item in dataclasses.fields(record):
        for extra in getattr(hints[item.name], "__metadata__", ()):
            if isinstance(extra, Setting):
                found[item.name] = extra
    return found


def take(record: type[T], values: Mapping[str, Value], **given: Any) -> T:
    """Fill a stage's record from resolved values; ``given`` fills the fields that are no settings."""
    taken = {name: values[setting.key] for name, setting in settings_read_by(cast("type", record)).items()}
    return record(**taken, **given)
