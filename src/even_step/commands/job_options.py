"""What says which job is meant: models with their options, a saved job or a job in text; and how far it is."""

from __future__ import annotations

import argparse
import json
import os
import sys
from dataclasses import dataclass, field
from pathlib import Path

from even_step.core.catalogue import taken_in
from even_step.core.catalogue.setting import Value
from even_step.core.errors import InputError, JobError, SettingError
from even_step.core.job.beds import bed_count, on_bed
from even_step.core.job.bring_in import kept_in_place, laid_flat, parts_of
from even_step.core.job.cascade import resolve
from even_step.core.job.file import read_job_file
from even_step.core.job.model import MM_PER, Job, Machine, Material, Part, Recipe
from even_step.core.job.shipped import find
from even_step.core.job.text import DEFAULT_MACHINE, DEFAULT_MATERIAL, DEFAULT_RECIPE, is_job_file, read_job_text
from even_step.core.job.value import name_from
from even_step.core.mesh.read.model import scaled
from even_step.core.mesh.turning import turn_of
from even_step.core.proposals import best_pose
from even_step.core.stages import StageRun
from even_step.core.standing import Files, model_of, read_models, settled

MOST_THREADS = 64
MODEL_OPTIONS = {"unit": "auto", "pose": "keep", "scale": 1.0, "copies": 1, "place": "arrange"}


def add_job_options(parser: argparse.ArgumentParser) -> None:
    """Declare what is sliced: machine, recipe, settings and how the models stand."""
    parser.add_argument("inputs", nargs="+", metavar="IN", help="model, saved job or job in text")
    parser.add_argument("--machine", metavar="NAME|FILE", help=f"default {DEFAULT_MACHINE}")
    parser.add_argument(
        "--material",
        action="append",
        metavar="NAME|FILE",
        help=f"again for each extruder; default {DEFAULT_MATERIAL}",
    )
    parser.add_argument("--recipe", metavar="NAME|FILE", help=f"default {DEFAULT_RECIPE}")
    parser.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="KEY=VALUE",
        dest="settings",
        help="change a setting, such as infill.density=15; any number",
    )
    parser.add_argument(
        "--unit",
        choices=("mm", "inch", "cm", "m", "auto"),
        default=MODEL_OPTIONS["unit"],
        help="unit of files that state none; auto takes mm and proposes, but never applies",
    )
    parser.add_argument(
        "--pose",
        choices=("keep", "flat", "best"),
        default=MODEL_OPTIONS["pose"],
        help="which way up: as in the file, on the largest flat side, or with least support",
    )
    parser.add_argument(
        "--scale", type=_positive, default=MODEL_OPTIONS["scale"], metavar="F", help="size the parts by a factor"
    )
    parser.add_argument(
        "--copies", type=_count, default=MODEL_OPTIONS["copies"], metavar="N", help="how many of each part"
    )
    parser.add_argument(
        "--place",
        choices=("keep", "centre", "arrange"),
        default=MODEL_OPTIONS["place"],
        help="where the file says, in the middle, or arranged (one part is centred)",
    )

    parser.add_argument(
        "--bed", type=_count, metavar="N", help="which bed of the job; models that do not fit on one go to further ones"
    )


def add_run_options(parser: argparse.ArgumentParser) -> None:
    """Declare with how many threads, and whether anything is said meanwhile."""
    parser.add_argument("--threads", type=threads, default=os.cpu_count() or 1, metavar="N")
    parser.add_argument("--quiet", action="store_true", help="no progress, no summary")


def _positive(text: str) -> float:
    value = float(text)
    if not 0 < value < 1e6:
        raise argparse.ArgumentTypeError(f"{text} is no factor above 0")
    return value


def _count(text: str) -> int:
    value = int(text)
    if not 1 <= value <= 1000:
        raise argparse.ArgumentTypeError(f"{text} is not from 1 to 1000")
    return value


def threads(text: str) -> int:
    """Take how many threads."""
    value = int(text)
    if not 1 <= value <= MOST_THREADS:
        raise argparse.ArgumentTypeError(f"{text} is not from 1 to {MOST_THREADS}")
    return value


@dataclass
class Progress:
    """Stage names on standard error: a bar on a terminal, else a line a stage."""

    quiet: bool
    _told: set[str] = field(default_factory=set)

    def __call__(self, stage: str, fraction: float) -> None:
        """Show how far a stage is."""
        if self.quiet:
            return
        if sys.stderr.isatty():
            filled = round(20 * fraction)
            sys.stderr.write(f"\r{stage:<9} {'█' * filled}{'·' * (20 - filled)}")
            sys.stderr.flush()
        elif stage not in self._told:
            self._told.add(stage)
            sys.stderr.write(f"{stage}\n")

    def done(self, text: str) -> None:
        """Say the outcome."""
        if not self.quiet:
            sys.stderr.write(("\r" + " " * 31 + "\r" if sys.stderr.isatty() else "") + text + "\n")


def assignment(text: str) -> tuple[str, Value]:
    """Take ``KEY=VALUE`` apart and check it.

    Raises
    ------
    SettingError
        When it has no ``=``, or key or value are refused.
    """
    key, equals, value = text.partition("=")
    if not equals:
        raise SettingError("has no value", subject=text, remedy="KEY=VALUE is wanted")
    return taken_in(key.strip(), value)


def job_of(chosen: argparse.Namespace, run: StageRun) -> Job:
    """Make the job: a saved one with changes, or a new one round the models."""
    changes = dict(assignment(text) for text in chosen.settings)
    whole = [path for path in map(Path, chosen.inputs) if path.suffix.lower() == ".toml" or is_job_file(path)]
    if whole:
        _refuse_model_options(chosen, whole[0])
        told: list[str] = []
        job = (read_job_text if whole[0].suffix.lower() == ".toml" else read_job_file)(whole[0], told)
        for line in told:
            sys.stderr.write(f"even-step: {line}\n")
        if not job.parts:
            raise InputError("describes a job without parts", subject=whole[0], remedy="add a [[parts]] table")
        update: dict[str, object] = {}
        if chosen.machine:
            update["machine"] = find(Machine, chosen.machine)
        if chosen.material:
            update["materials"] = tuple(find(Material, name) for name in chosen.material)
        if chosen.recipe:
            update["recipe"] = find(Recipe, chosen.recipe)
        job = Job.model_validate(dict(job.model_copy(update=update))) if update else job
        return job.with_settings(dict(changes))
    job = _new_job(chosen, dict(changes))
    files = read_models(((path, "winding") for path in chosen.inputs), run)
    parts: list[Part] = []
    for path in chosen.inputs:
        unit = None if chosen.unit == "auto" else chosen.unit
        models, _ = files[path, "winding"]
        stated = models[0].unit_stated
        brought = parts_of(Path(path), models, chosen.copies, None if stated else unit)
        parts += [_stood(part, chosen, job, files) for part in brought]
    return job.model_copy(update={"parts": tuple(parts)})


def json_text(record: object) -> str:
    """Return a record as JSON that any output takes: letters of file names that are none are escaped."""
    return json.dumps(record, indent=1, ensure_ascii=False).encode("utf-8", "backslashreplace").decode()


def print_json(record: object) -> None:
    """Print a record as JSON."""
    print(json_text(record))


def files_named(chosen: argparse.Namespace) -> list[Path]:
    """Return the files that a command names to be read."""
    named = (*chosen.inputs, chosen.machine, chosen.recipe, *(chosen.material or ()))
    return [Path(name) for name in named if name]


def of_one_bed(job: Job, bed: int | None, run: StageRun) -> Job:
    """Return what is to be sliced of a job: one of its beds, which has to be named where there are several.

    Raises
    ------
    JobError
        When it is not named, or the job has no such bed.
    """
    if bed is None and bed_count(job) > 1:
        raise JobError(f"has {bed_count(job)} beds", subject=job.name, remedy=f"say which: --bed 1 to {bed_count(job)}")
    if bed is None:
        return job
    job = settled(job, run)
    if bed > bed_count(job):
        raise JobError(f"has no bed {bed}", subject=job.name, remedy=f"--bed 1 to {bed_count(job)}")
    return on_bed(job, bed - 1)


def _refuse_model_options(chosen: argparse.Namespace, job: Path) -> None:
    """Refuse what says how models stand: in a job that is said already."""
    if len(chosen.inputs) > 1:
        raise JobError("a job is sliced alone", subject=job, remedy="name the job, or models, not both")
    for name, default in MODEL_OPTIONS.items():
        if getattr(chosen, name) != default:
            raise JobError(f"--{name} is for models; this is a job", subject=job, remedy="change the job's parts")


def _new_job(chosen: argparse.Namespace, changes: dict[str, object]) -> Job:
    materials = tuple(find(Material, name) for name in chosen.material or [DEFAULT_MATERIAL])
    machine = find(Machine, chosen.machine or DEFAULT_MACHINE)
    if len(materials) > len(machine.extruders):
        raise JobError(
            f"has {len(machine.extruders)} extruder(s), {len(materials)} materials were named",
            subject=machine.name,
        )
    return Job(
        name=name_from(Path(chosen.inputs[0]).stem, "job"),
        machine=machine,
        materials=materials,
        recipe=find(Recipe, chosen.recipe or DEFAULT_RECIPE),
        settings=changes,
    )


def _stood(part: Part, chosen: argparse.Namespace, job: Job, files: Files) -> Part:
    """Size, pose and place a part as asked."""
    mesh = scaled(model_of(part, files).merged(), MM_PER[part.unit])
    part = part.model_copy(update={"scale": (chosen.scale,) * 3})
    if chosen.pose == "flat":
        part = laid_flat(part, mesh)
    elif chosen.pose == "best":
        part = part.model_copy(update={"turn": turn_of(best_pose(scaled(mesh, chosen.scale), job, resolve(job).job))})
    if chosen.place == "keep":
        return kept_in_place(part, mesh)
    if chosen.place == "centre":
        copies = tuple(copy.model_copy(update={"at": job.machine.bed.centre}) for copy in part.copies)
        return part.model_copy(update={"copies": copies})
    return part
