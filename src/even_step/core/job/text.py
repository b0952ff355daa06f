"""The job as text: TOML that ``slice`` reads, tests write and the job file carries."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import tomli_w
from pydantic import ValidationError

from even_step.core.errors import InputError
from even_step.core.input import size_of
from even_step.core.job.ids import HELD, first_double
from even_step.core.job.model import JOB_VERSION, Job, Machine, Material, Recipe
from even_step.core.job.newer import understood
from even_step.core.job.shipped import find, plainly, read_toml
from even_step.core.job.value import name_from
from even_step.core.job.zones import Zone
from even_step.core.mesh.read.archive import job_text_in

DEFAULT_MACHINE, DEFAULT_MATERIAL, DEFAULT_RECIPE = "Larch 220", "PLA", "Even"


def read_job_text(path: Path, told: list[str] | None = None) -> Job:
    """Read a job described in TOML; paths in it begin at its own folder.

    What a newer version wrote and this one does not know is left out; ``told`` gets a line that says so.

    Raises
    ------
    InputError
        When it is no TOML, or holds something a job cannot; with the place.
    """
    return job_from_record(read_toml(path), path, told)


def is_job_file(path: Path) -> bool:
    """Whether a 3MF carries a job record."""
    return (
        path.suffix.lower() == ".3mf"
        and size_of(path) > 0
        and zipfile.is_zipfile(path)
        and job_text_in(path) is not None
    )


def job_from_record(record: dict[str, Any], path: Path, told: list[str] | None = None) -> Job:
    """Make a job of a record; names of machines, materials and recipes are looked up.

    Parameters
    ----------
    record
        The parsed TOML.
    path
        The file it came from: for messages, and where relative paths begin.
    told
        Gets a line where a newer version wrote the record, with what was left out.

    Raises
    ------
    InputError
        When something in it does not fit.
    """
    version = record.get("version", JOB_VERSION)
    data = dict(record)
    folder = path.parent
    data.setdefault("name", name_from(path.stem, "job"))
    data["machine"] = _named(Machine, data.get("machine", DEFAULT_MACHINE), folder)
    data["recipe"] = _named(Recipe, data.get("recipe", DEFAULT_RECIPE), folder)
    materials = data.get("materials", [DEFAULT_MATERIAL])
    if not isinstance(materials, list):
        raise InputError("materials: a list is wanted, one for each extruder", subject=path)
    data["materials"] = [_named(Material, item, folder) for item in materials]
    if isinstance(version, int) and version > JOB_VERSION:
        data, left_out = understood(data)
        if told is not None:
            what = f"left out: {', '.join(left_out)}" if left_out else "nothing had to be left out"
            told.append(f"{path.name} was written by a newer Even Step (job version {version}); {what}")
    double = first_double(_ids_in(data))
    if double:
        raise InputError(f"two have the id {double}", subject=path, remedy="give one of them another, or none")
    try:
        job = Job.model_validate(data)
    except ValidationError as error:
        raise InputError(plainly(error), subject=path) from error
    return with_files(job, lambda file: str(folder / file if file else path))


def with_files(job: Job, named: Callable[[str], str]) -> Job:
    """Return the job with the files of its parts, and of zones that have one, named otherwise."""

    def zone_of(zone: Zone) -> Zone:
        return zone if zone.file is None else zone.model_copy(update={"file": named(zone.file)})

    parts = [
        part.model_copy(update={"file": named(part.file), "zones": tuple(map(zone_of, part.zones))})
        for part in job.parts
    ]
    return job.model_copy(update={"parts": tuple(parts)})


def files_in(job: Job) -> set[str]:
    """Return the files of a job's parts, and of zones that have one."""
    of_zones = {zone.source[0] for part in job.parts for zone in part.zones_of_files}
    return {part.file for part in job.parts} | of_zones


def _ids_in(record: Mapping[str, Any]) -> list[str]:
    """Return the ids that stand in a record, of beds, parts and what parts hold."""
    parts = [part for part in _list_in(record, "parts") if isinstance(part, dict)]
    held = [one for part in parts for name in HELD for one in _list_in(part, name) if isinstance(one, dict)]
    ids = (*_list_in(record, "beds"), *(holder.get("id") for holder in (*parts, *held)))
    return [one for one in ids if isinstance(one, str)]


def _list_in(record: Mapping[str, Any], name: str) -> list[Any]:
    found = record.get(name)
    return found if isinstance(found, list) else []


def _named(kind: type[Any], item: object, folder: Path) -> object:
    return find(kind, item, folder) if isinstance(item, str) else item


def job_record(job: Job) -> dict[str, Any]:
    """Return the job as a record that TOML can hold; what is not set is left out."""
    return job.model_dump(mode="json", exclude_none=True)


def job_text(job: Job) -> str:
    """Return the job as TOML, with its machine, materials and recipe in full."""
    return tomli_w.dumps(job_record(job))


def job_schema() -> str:
    """Return the JSON schema of a job as text, as it is kept in ``data/job.schema.json``.

    A machine, a material or a recipe may also be given by name or file.
    """
    schema = Job.model_json_schema()
    fields = schema["properties"]
    by_name = {"type": "string"}
    fields["machine"] = {"anyOf": [by_name, fields["machine"]], "default": DEFAULT_MACHINE}
    fields["recipe"] = {"anyOf": [by_name, fields["recipe"]], "default": DEFAULT_RECIPE}
    fields["materials"]["items"] = {"anyOf": [by_name, fields["materials"]["items"]]}
    fields["materials"]["default"] = [DEFAULT_MATERIAL]
    part = schema["$defs"]["Part"]["properties"]
    part["scale"] = {"anyOf": [{"type": "number", "exclusiveMinimum": 0}, part["scale"]]}
    part["copies"] = {"anyOf": [{"type": "integer", "minimum": 1}, part["copies"]]}
    schema.pop("required", None)
    return json.dumps(schema, indent=1, sort_keys=True) + "\n"
