"""``slice``: models, a saved job or a job in text become G-code and a report."""

from __future__ import annotations

import argparse
import json
import os
import sys
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from even_step.core.catalogue import find_setting, taken_in
from even_step.core.catalogue.setting import Value
from even_step.core.errors import InputError, JobError, SettingError
from even_step.core.job.beds import bed_count, on_bed
from even_step.core.job.bring_in import kept_in_place, laid_flat, parts_of
from even_step.core.job.cascade import resolve
from even_step.core.job.file import job_file, read_job_file
from even_step.core.job.model import MM_PER, Job, Machine, Material, Part, Recipe
from even_step.core.job.shipped import find
from even_step.core.job.text import DEFAULT_MACHINE, DEFAULT_MATERIAL, DEFAULT_RECIPE, is_job_file, read_job_text
from even_step.core.mesh.read.model import scaled
from even_step.core.mesh.turning import turn_of
from even_step.core.mesh.units import proposed_unit
from even_step.core.motion.writer import gcode
from even_step.core.output import write_whole
from even_step.core.picture import section_picture
from even_step.core.pipeline import Sliced, slice_job
from even_step.core.proposals import best_pose
from even_step.core.report import gcode_job, report
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import Files, model_of, models_of, read_models, settled
from even_step.core.wording import clock
from even_step.core.work import Crew, crew

MOST_THREADS = 64
MODEL_OPTIONS = {"unit": "auto", "pose": "keep", "scale": 1.0, "copies": 1, "place": "arrange"}


def add_to(commands: Any) -> None:
    """Declare the command and its options."""
    parser = commands.add_parser(
        "slice",
        help="turn models into a toolpath",
        description="Slice models (STL, OBJ, PLY, 3MF, STEP), a saved job (.3mf) or a job "
        "in text (.toml) without a window.",
    )
    parser.add_argument("inputs", nargs="+", metavar="IN", help="model, saved job or job in text")
    _add_job_options(parser)
    _add_output_options(parser)
    parser.set_defaults(run=run)


def _add_output_options(parser: argparse.ArgumentParser) -> None:
    """Declare what is written and how."""
    parser.add_argument("--out", required=True, metavar="OUT.gcode", help="where the G-code goes")
    parser.add_argument("--save-job", metavar="OUT.3mf", help="save the whole job as one file")
    parser.add_argument("--report", metavar="OUT.json", help="write time, material, ledger and findings")
    parser.add_argument("--ledger", action="store_true", help="the report's ledger by layer too")
    parser.add_argument("--picture", metavar="OUT.png", help="draw the layer in the middle of the job")
    parser.add_argument(
        "--then",
        action="append",
        default=[],
        metavar="KEY=VALUE",
        help="slice again with this changed too; any number, in turn",
    )
    parser.add_argument("--threads", type=_threads, default=os.cpu_count() or 1, metavar="N")
    parser.add_argument("--force", action="store_true", help="write G-code even though a finding stops")
    parser.add_argument("--quiet", action="store_true", help="no progress, no summary")


def _add_job_options(parser: argparse.ArgumentParser) -> None:
    """Declare machine, recipe, settings and how the models stand."""
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


def _threads(text: str) -> int:
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


def run(chosen: argparse.Namespace) -> int:
    """Slice, write what was asked for, and return 1 when a finding stops the job."""
    if len({Path(path).resolve() for path in _outputs(chosen)}) < len(_outputs(chosen)):
        raise JobError("two outputs have the same name", subject=chosen.out)
    progress = Progress(chosen.quiet)
    cache = StageCache()
    with crew(chosen.threads, progress) as hands:
        first = StageRun(hands, cache)
        whole = _job(chosen, first)
        job = _of_one_bed(whole, chosen.bed, first)
        trials = _changed_in_turn(job, chosen.then)
        sliced = slice_job(job, hands, cache, first)
        for warning in _cautions(sliced):
            progress.done(warning)
        stopped = any(finding.severity == "stop" for finding in sliced.findings)
        if not stopped or chosen.force:
            with first.timed("write"):
                write_whole(Path(chosen.out), gcode(gcode_job(sliced), hands))
            first.made.add("write")
        record = report(sliced, first, ledger_by_layer=chosen.ledger)
        record["trials"] = [_trial(chosen, trial, hands, cache) for trial in trials]
        _write_extras(chosen, sliced, record)
        if chosen.save_job:
            write_whole(Path(chosen.save_job), [job_file(settled(whole, first), models_of(whole, first))])
    progress.done(_summary(record, chosen, written=not stopped or chosen.force))
    return 1 if stopped else 0


def _outputs(chosen: argparse.Namespace) -> list[str]:
    return [path for path in (chosen.out, chosen.report, chosen.save_job, chosen.picture) if path]


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


def _job(chosen: argparse.Namespace, run: StageRun) -> Job:
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


def _of_one_bed(job: Job, bed: int | None, run: StageRun) -> Job:
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
        name=Path(chosen.inputs[0]).stem or "job",
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


def _cautions(sliced: Sliced) -> list[str]:
    """Say what is unwise, and where a unit seems to be wrong."""
    out = []
    for part, placed in zip(sliced.job.parts, _first_copies(sliced), strict=True):
        model = sliced.solids[placed].model
        unit = proposed_unit(model) if part.unit == "mm" else None
        if unit:
            out.append(f"{part.name} is strangely small: were {unit} meant? (--unit {unit})")
        out += [f"{part.name}: {warning}" for warning in model.warnings]
    for key, value in sliced.job.settings.items():
        advised = find_setting(key).advised
        if advised and not advised[0] <= float(value) <= advised[1]:
            out.append(f"{key}={value:g} is unwise: {advised[0]:g} to {advised[1]:g} is advised")
    return out


def _first_copies(sliced: Sliced) -> list[int]:
    return [placed.solid for placed in sliced.placed if placed.copy == 1]


def _changed_in_turn(job: Job, changes: list[str]) -> list[Job]:
    """Return the job of each ``--then``, all checked before anything is sliced."""
    jobs = []
    for text in changes:
        job = job.with_settings(dict([assignment(text)]))
        resolve(job)
        jobs.append(job)
    return jobs


def _trial(chosen: argparse.Namespace, job: Job, hands: Crew, cache: StageCache) -> dict[str, Any]:
    """Slice once more with what is kept and report it."""
    again = StageRun(hands, cache)
    return report(slice_job(job, hands, cache, again), again, ledger_by_layer=chosen.ledger)


def _write_extras(chosen: argparse.Namespace, sliced: Sliced, record: dict[str, Any]) -> None:
    if chosen.picture:
        middle = sliced.toolpath.layers // 2
        write_whole(Path(chosen.picture), [section_picture(sliced.toolpath, middle, sliced.job.machine.bed)])
    if chosen.report:
        write_whole(Path(chosen.report), [(json.dumps(record, indent=1) + "\n").encode()])


def _summary(record: dict[str, Any], chosen: argparse.Namespace, *, written: bool) -> str:
    used = record["material"][0]
    lines = [f"{record['layers']['count']} layers, {clock(record['time_s'])}, {used['mass_g']:.1f} g of {used['name']}"]
    lines += [f"{finding['severity']}: {finding['message']} ({finding['remedy']})" for finding in record["findings"]]
    lines.append(f"wrote {chosen.out}" if written else f"{chosen.out} was not written: a finding stops it (--force)")
    return "\n".join(lines)
