"""``slice``: models, a saved job or a job in text become G-code and a report."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from even_step.commands.job_options import (
    Progress,
    add_job_options,
    add_run_options,
    assignment,
    files_named,
    job_of,
    of_one_bed,
)
from even_step.core.catalogue import find_setting
from even_step.core.errors import JobError
from even_step.core.job.cascade import resolve
from even_step.core.job.file import job_file
from even_step.core.job.model import Job
from even_step.core.job.text import files_in
from even_step.core.mesh.units import proposed_unit
from even_step.core.motion.writer import gcode
from even_step.core.output import require_writable, write_whole
from even_step.core.picture import section_picture
from even_step.core.pipeline import Sliced, slice_job
from even_step.core.report import gcode_job, report
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import models_of, settled
from even_step.core.wording import clock
from even_step.core.work import Crew, crew


def add_to(commands: Any) -> None:
    """Declare the command and its options."""
    parser = commands.add_parser(
        "slice",
        help="turn models into a toolpath",
        description="Slice models (STL, OBJ, PLY, 3MF, STEP), a saved job (.3mf) or a job "
        "in text (.toml) without a window.",
    )
    add_job_options(parser)
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
    parser.add_argument("--force", action="store_true", help="write G-code even though a finding stops")
    add_run_options(parser)


def run(chosen: argparse.Namespace) -> int:
    """Slice, write what was asked for, and return 1 when a finding stops the job."""
    outputs = [Path(path) for path in _outputs(chosen)]
    require_writable(outputs, files_named(chosen))
    if len({path.resolve() for path in outputs}) < len(outputs):
        raise JobError("two outputs have the same name", subject=chosen.out)
    progress = Progress(chosen.quiet)
    cache = StageCache()
    with crew(chosen.threads, progress) as hands:
        first = StageRun(hands, cache)
        whole = job_of(chosen, first)
        require_writable(outputs, map(Path, files_in(whole)))
        job = of_one_bed(whole, chosen.bed, first)
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
