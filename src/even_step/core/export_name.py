"""File names made of a pattern with places for what is known of a trial."""

from __future__ import annotations

import re
from collections.abc import Mapping
from string import Formatter

from even_step.core.errors import SettingError

#: What may stand in braces.
PLACES = ("job", "bed", "trial", "machine", "material", "recipe", "time", "mass", "date")
USUAL = "{job}"
MOST = 200  # letters


def file_name(pattern: str, facts: Mapping[str, str]) -> str:
    """Return the name that a pattern makes, without ending, of letters, digits, ``_``, ``.`` and ``-`` alone.

    Raises
    ------
    SettingError
        When a brace is left open, or names what is not known.
    """
    remedy = "places are " + ", ".join(f"{{{place}}}" for place in PLACES)
    try:
        pieces = list(Formatter().parse(pattern))
    except ValueError as error:
        raise SettingError(f"cannot be a name: {error}", subject=pattern, remedy=remedy) from error
    made = ""
    for text, place, form, turned in pieces:
        made += text
        if place is None:
            continue
        if place not in PLACES or form or turned:
            raise SettingError(f"has no place {{{place}}}", subject=pattern, remedy=remedy)
        made += facts.get(place, "")
    name = re.sub(r"[^\w.-]+", "_", made).strip("_.")
    return name[:MOST] or "job"
