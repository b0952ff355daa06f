"""Trials as they are kept with a saved job: what each was of, and the figures it came to."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from even_step.core.errors import EvenStepError
from even_step.core.job.ids import Id
from even_step.core.job.model import MOST_BEDS, Job
from even_step.core.job.text import job_from_record, job_record
from even_step.core.job.value import Figure, Pair

MOST_TRIALS = 40
MOST_FINDINGS = 200


#: What a trial changed, in words: two names may stand in it.
Words = Annotated[str, Field(min_length=1, max_length=1000)]
MOST_NAME, MOST_NOTE = 80, 2000
Name = Annotated[str, Field(max_length=MOST_NAME)]
Note = Annotated[str, Field(max_length=MOST_NOTE)]


class _Summary(BaseModel):
    """What of a report is kept: everything but what is told layer by layer and part by part."""

    model_config = ConfigDict(extra="ignore", frozen=True)


class _About(_Summary):
    machine: str
    materials: list[str]
    recipe: str
    changed: dict[str, Any]


class _Count(_Summary):
    count: int


class _Material(_Summary):
    name: str
    extruder: int = 1
    length_mm: Figure
    volume_mm3: Figure
    mass_g: Figure
    cost: Figure


class _Finding(_Summary):
    code: str
    severity: Literal["stop", "warn", "note"]
    part: str
    layer: int
    z_mm: Figure
    at_mm: Pair
    amount: Figure
    unit: str
    message: str
    remedy: str
    part_id: str = ""
    copy_id: str = ""


class _Report(_Summary):
    job: _About
    layers: _Count
    time_s: Figure
    heat_up_s: Figure
    time_by_role_s: dict[str, Figure]
    volume_by_role_mm3: dict[str, Figure]
    mass_by_role_g: dict[str, Figure] = {}
    changes_of_extruder: int = 0
    material: list[_Material] = Field(min_length=1)
    unsupported_area_mm2: Figure
    contact_area_mm2: Figure
    findings: list[_Finding]


class KeptTrial(BaseModel):
    """One trial: its number, its bed's id, what it changed against the one before, its job, a summary of its report.

    And what the user says of it: a name, a note, and whether it stands out.
    """

    model_config = ConfigDict(frozen=True)

    number: int = Field(ge=1)
    bed: Id
    changed: tuple[Words, ...]
    job: Job
    report: dict[str, Any]
    name: Name = ""
    note: Note = ""
    starred: bool = False


class _Record(_Summary):
    """A kept trial as it stands in a file; files from before there were ids hold their beds' numbers."""

    number: int = Field(ge=1)
    bed: Id | Annotated[int, Field(ge=0, lt=MOST_BEDS)]
    changed: tuple[Words, ...]
    job: dict[str, Any]
    report: _Report
    name: Name = ""
    note: Note = ""
    starred: bool = False


RECORDS = TypeAdapter(list[dict[str, Any]])


def summary_of(report: dict[str, Any]) -> dict[str, Any]:
    """Return what of a report is kept; the findings first in it, at most so many.

    Raises
    ------
    ValidationError
        When it is no report.
    """
    kept = _Report.model_validate(report)
    return kept.model_copy(update={"findings": kept.findings[:MOST_FINDINGS]}).model_dump(mode="json")


def trials_text(trials: tuple[KeptTrial, ...]) -> str:
    """Return the last trials as JSON; of more than are kept, those that stand out stay first."""
    kept = sorted(range(len(trials)), key=lambda i: (trials[i].starred, i))[-MOST_TRIALS:]
    records = [
        {
            "number": trial.number,
            "bed": trial.bed,
            "changed": trial.changed,
            "job": job_record(trial.job),
            "report": summary_of(trial.report),
            "name": trial.name,
            "note": trial.note,
            "starred": trial.starred,
        }
        for trial in (trials[i] for i in sorted(kept))
    ]
    return json.dumps(records, ensure_ascii=False, separators=(",", ":"))


def trials_from(text: str, path: Path, beds: tuple[str, ...], told: list[str]) -> tuple[KeptTrial, ...]:
    """Return the trials that a text holds; one that cannot be read is left out, and ``told`` gets a line.

    ``beds`` are the ids of the beds of the job they were kept with.
    """
    try:
        records = RECORDS.validate_json(text)
    except ValidationError:
        told.append(f"{path.name}: the trials kept with it are damaged and were left out")
        return ()
    trials, lost = [], 0
    for record in records[-MOST_TRIALS:]:
        try:
            kept = _Record.model_validate(record)
            job = job_from_record(kept.job, path)
        except (ValidationError, EvenStepError):
            lost += 1
            continue
        report = kept.report.model_dump(mode="json")
        bed = kept.bed if isinstance(kept.bed, str) else beds[kept.bed] if kept.bed < len(beds) else ""
        said = {"name": kept.name, "note": kept.note, "starred": kept.starred}
        trials.append(KeptTrial(number=kept.number, bed=bed, changed=kept.changed, job=job, report=report, **said))
    if lost:
        told.append(f"{path.name}: {lost} of the trials kept with it could not be read and were left out")
    return tuple(trials)
