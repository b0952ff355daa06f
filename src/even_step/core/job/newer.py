"""Jobs that a newer version wrote: what is known of them is taken, the rest is left out and told."""

from __future__ import annotations

import copy
from typing import Any

from pydantic import ValidationError

from even_step.core.catalogue import checked
from even_step.core.errors import EvenStepError
from even_step.core.job.model import JOB_VERSION, Job
from even_step.core.job.tables import flat_table

MOST_LEFT_OUT = 1000


def understood(record: dict[str, Any]) -> tuple[dict[str, Any], list[str]]:
    """Return what this version knows of a record, and the names of what it left out.

    What is known but does not fit stays, for the reader to refuse.
    """
    known = copy.deepcopy(record)
    known["version"] = JOB_VERSION
    left_out: list[str] = []
    for name, table in (("", known), *((one, known.get(one)) for one in ("machine", "recipe"))):
        _take_known_settings(name, table, left_out)
    materials = known.get("materials")
    for number, material in enumerate(materials if isinstance(materials, list) else []):
        _take_known_settings(f"materials.{number}", material, left_out)
    parts = known.get("parts")
    for number, part in enumerate(parts if isinstance(parts, list) else []):
        _take_known_settings(f"parts.{number}", part, left_out, "part")
    for _ in range(MOST_LEFT_OUT):
        try:
            Job.model_validate(known)
        except ValidationError as error:
            strangers = [one["loc"] for one in error.errors() if one["type"] == "extra_forbidden"]
            if not strangers:
                break
            for place in strangers:
                _drop(known, place)
                left_out.append(".".join(str(step) for step in place))
        else:
            break
    return known, sorted(set(left_out))


def _take_known_settings(name: str, holder: object, left_out: list[str], scope: str = "job") -> None:
    """Keep the settings that the catalogue knows and accepts."""
    if not isinstance(holder, dict) or not isinstance(holder.get("settings"), dict):
        return
    kept: dict[str, object] = {}
    for key, value in flat_table(holder["settings"]).items():
        try:
            kept |= checked({key: value}, scope)
        except EvenStepError:
            left_out.append(f"{name}.settings {key}".removeprefix("."))
    holder["settings"] = kept


def _drop(record: Any, place: tuple[int | str, ...]) -> None:
    for step in place[:-1]:
        record = record[step]
    del record[place[-1]]
