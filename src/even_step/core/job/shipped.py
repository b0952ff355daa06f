"""The machines, materials and recipes that ship with the program, and own ones from files."""

from __future__ import annotations

import re
import tomllib
from functools import cache
from pathlib import Path
from typing import Any, TypeVar, cast

from pydantic import ValidationError

from even_step.core.errors import InputError, JobError
from even_step.core.input import bytes_of
from even_step.core.job.model import Machine, Material, Recipe
from even_step.core.job.value import Frozen

DATA = Path(__file__).parents[2] / "data"
M = TypeVar("M", Machine, Material, Recipe)
FOLDERS: dict[type[Frozen], str] = {Machine: "machines", Material: "materials", Recipe: "recipes"}
LARGEST_TEXT = 4_000_000
DEEPEST = 40
MOST_WORDS = 300
#: What is wrong with a value, by the name that the library has for it.
SAID = {
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "greater_than_equal": "is less than {ge:g}",
    "less_than_equal": "is more than {le:g}",
    "greater_than": "is not more than {gt:g}",
    "less_than": "is not less than {lt:g}",
    "string_too_short": "is shorter than {min_length} letters",
    "string_too_long": "is longer than {max_length} letters",
    "too_short": "has fewer than {min_length} entries",
    "too_long": "has more than {max_length} entries",
    "finite_number": "is not a finite number",
    "float_type": "is not a number",
    "float_parsing": "is not a number",
    "int_type": "is not a whole number",
    "int_parsing": "is not a whole number",
    "int_from_float": "is not a whole number",
    "string_type": "is not text",
    "bool_type": "is neither true nor false",
    "bool_parsing": "is neither true nor false",
    "dict_type": "is not a table",
    "model_type": "is not a table",
    "tuple_type": "is not a list",
    "list_type": "is not a list",
    "string_pattern_mismatch": "contains a letter that is not allowed",
    "literal_error": "is none of {expected}",
}
LINE = re.compile(r"at line (\d+)")


def plainly(error: ValidationError) -> str:
    """Put a model's complaint in one line: where, and what."""
    first = error.errors()[0]
    place = ".".join(str(piece) for piece in first["loc"])
    said = SAID.get(first["type"])
    what = said.format(**first.get("ctx", {})) if said else str(first["msg"]).removeprefix("Value error, ")
    what = what if len(what) < MOST_WORDS else f"{what[:MOST_WORDS]}…"
    more = error.error_count() - 1
    return (f"{place}: {what}" if place else what) + (f", and {more} more" if more else "")


def read_toml(path: Path) -> dict[str, Any]:
    """Read a TOML file.

    Raises
    ------
    InputError
        When it cannot be read, is too large, or is no TOML; with the line.
    """
    try:
        text = bytes_of(path, LARGEST_TEXT).decode("utf-8")
    except UnicodeDecodeError as error:
        raise InputError("is not UTF-8 text", subject=path, remedy="save it as UTF-8 again") from error
    return record_of(text, path)


def record_of(text: str, path: Path) -> dict[str, Any]:
    """Take a text in TOML apart.

    Raises
    ------
    InputError
        When it is no TOML, with the line, or holds what no job needs: tables within tables within tables, numbers of
        thousands of digits.
    """
    try:
        record = tomllib.loads(text)
    except RecursionError as error:
        raise InputError("has tables nested too deeply", subject=path) from error
    except ValueError as error:
        line = LINE.search(str(error))
        place = f" in line {line[1]}" if line else ""
        raise InputError(
            f"is not valid TOML{place}", subject=path, remedy="correct that line" if line else ""
        ) from error
    layer: list[Any] = [record]
    for _ in range(DEEPEST):
        layer = [inner for one in layer for inner in (one.values() if isinstance(one, dict) else one)]
        layer = [one for one in layer if isinstance(one, dict | list)]
        if not layer:
            return record
    raise InputError("has tables nested too deeply", subject=path)


def _load(kind: type[M], path: Path) -> M:
    try:
        return kind.model_validate(read_toml(path))
    except ValidationError as error:
        raise InputError(plainly(error), subject=path) from error


@cache
def shipped(kind: type[M]) -> dict[str, M]:
    """Return what ships of a kind, by name, in the order of the file names."""
    loaded = [_load(kind, path) for path in sorted((DATA / FOLDERS[kind]).glob("*.toml"))]
    return {item.name: item for item in loaded}


def find(kind: type[M], name: str, folder: Path | None = None) -> M:
    """Return a shipped one by its name, or read one from a file.

    Parameters
    ----------
    kind
        ``Machine``, ``Material`` or ``Recipe``.
    name
        A name (capitals do not matter), or the path of a TOML file.
    folder
        Where a relative path begins; the current folder when left out.

    Raises
    ------
    JobError
        When there is neither; the shipped names are listed.
    """
    for known, item in shipped(kind).items():
        if known.lower() == name.strip().lower():
            return cast("M", item)
    path = (folder or Path()) / name
    if path.suffix == ".toml":
        return _load(kind, path)
    raise JobError(
        f"there is no {kind.__name__.lower()} of this name",
        subject=name,
        remedy="one of " + ", ".join(shipped(kind)) + ", or a .toml file",
    )
