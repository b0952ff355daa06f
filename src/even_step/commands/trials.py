"""``sweep``, ``fit`` and ``compare``: trials beside each other, as tables and JSON."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any, TypeAlias

from even_step.commands.job_options import (
    add_job_options,
    add_run_options,
    files_named,
    job_of,
    json_text,
    of_one_bed,
    print_json,
)
from even_step.core.catalogue import find_setting
from even_step.core.catalogue.setting import Value
from even_step.core.errors import Cancelled, InputError
from even_step.core.input import bytes_of
from even_step.core.job.differences import value_text
from even_step.core.job.file import read_job_file
from even_step.core.job.model import Job
from even_step.core.job.text import files_in, is_job_file, read_job_text
from even_step.core.motion.check import check_gcode
from even_step.core.motion.reader import read_gcode
from even_step.core.output import require_writable, write_whole
from even_step.core.pipeline import slice_job
from even_step.core.report import report
from even_step.core.stages import StageCache, StageRun
from even_step.core.trials.comparison import OF_JOB, Compared, compare, side_of
from even_step.core.trials.figures import Row
from even_step.core.trials.line_fit import best_of, widths_to_try
from even_step.core.trials.ranges import jobs_of, range_of
from even_step.core.trials.sweep import sweep
from even_step.core.trials.table import as_csv
from even_step.core.work import crew

Tried: TypeAlias = list[tuple[dict[str, Value], Job]]
LARGEST_REPORT = 500_000_000
REPORT_KEYS = {"job", "ledger", "findings", "material"}


def add_to(commands: Any) -> None:
    """Declare the commands."""
    sweeps = commands.add_parser("sweep", help="slice once for each value of a setting, or of two")
    add_job_options(sweeps)
    sweeps.add_argument(
        "--over",
        action="append",
        required=True,
        metavar="KEY=A:B:STEP",
        help="which setting from where to where, or KEY=VALUE,VALUE; twice for every pair of two",
    )
    _add_table_options(sweeps)
    sweeps.set_defaults(run=_sweep)
    fits = commands.add_parser("fit", help="the width of walls, within 15 %% of the bore, that leaves the least void")
    add_job_options(fits)
    _add_table_options(fits)
    fits.set_defaults(run=_fit)
    both = commands.add_parser("compare", help="what differs between two reports, jobs or G-code files")
    both.add_argument("a", metavar="A", help="report (.json), saved job, job in text, or G-code")
    both.add_argument("b", metavar="B")
    add_run_options(both)
    both.set_defaults(run=_compare)


def _add_table_options(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--out", metavar="TABLE.json", help="where the table goes: JSON, or CSV by its ending")
    add_run_options(parser)


def _sweep(chosen: argparse.Namespace) -> int:
    ranges = [range_of(text) for text in chosen.over]
    return _tabled(chosen, lambda job: jobs_of(job, ranges), None)


def _fit(chosen: argparse.Namespace) -> int:
    return _tabled(chosen, widths_to_try, best_of)


def _tabled(
    chosen: argparse.Namespace, jobs: Callable[[Job], Tried], best: Callable[[Job, Sequence[Row]], Row] | None
) -> int:
    """Slice what is to be tried and write the table; called off, it holds what was done until then."""
    outputs = [Path(chosen.out)] if chosen.out else []
    require_writable(outputs, files_named(chosen))
    cache, rows = StageCache(), []
    with crew(chosen.threads) as hands:
        first = StageRun(hands, cache)
        job = of_one_bed(job_of(chosen, first), chosen.bed, first)
        require_writable(outputs, map(Path, files_in(job)))
        tried = jobs(job)
        try:
            for row in sweep(tried, hands, cache):
                rows.append(row)
                _tell(chosen, f"{len(rows)} of {len(tried)}: {_values(tried[len(rows) - 1][0])}")
        except (KeyboardInterrupt, Cancelled):
            _write(chosen, rows, tried[0][0])
            raise
    if best is not None:
        found = best(job, rows)
        for row in rows:
            row["fits"] = row is found
        swept = {key: found[key] for key in tried[0][0]}
        _tell(chosen, f"least void: {found['void_mm2']:.1f} mm² with {_values(swept)}")
    _write(chosen, rows, tried[0][0])
    return 0


def _tell(chosen: argparse.Namespace, text: str) -> None:
    if not chosen.quiet:
        sys.stderr.write(text + "\n")


def _values(swept: dict[str, Value]) -> str:
    return ", ".join(f"{find_setting(key).label.lower()} {value_text(find_setting(key), swept[key])}" for key in swept)


def _write(chosen: argparse.Namespace, rows: list[Row], swept: dict[str, Value]) -> None:
    wants_csv = bool(chosen.out) and Path(chosen.out).suffix.lower() == ".csv"
    text = as_csv(rows, tuple(swept)) if wants_csv else json_text(rows) + "\n"
    if chosen.out:
        write_whole(Path(chosen.out), [text.encode()])
    else:
        sys.stdout.write(text)


def _compare(chosen: argparse.Namespace) -> int:
    with crew(chosen.threads) as hands:
        cache = StageCache()
        sides = [_side(Path(path), StageRun(hands, cache)) for path in (chosen.a, chosen.b)]
    print_json(compare(*sides))
    return 0


def _side(path: Path, run: StageRun) -> Compared:
    """Read one side: a report as it is, a job by slicing it, G-code by measuring it.

    Raises
    ------
    InputError
        When the file is none of these.
    """
    if path.suffix.lower() == ".json":
        return side_of(_report_in(path))
    if path.suffix.lower() == ".toml" or is_job_file(path):
        job = read_job_text(path) if path.suffix.lower() == ".toml" else read_job_file(path)
        return side_of(_sliced(job, run))
    return _of_gcode(path)


def _sliced(job: Job, run: StageRun) -> dict[str, Any]:
    return report(slice_job(of_one_bed(job, None, run), run.crew, run.cache, run), run)


def _report_in(path: Path) -> dict[str, Any]:
    try:
        record = json.loads(bytes_of(path, LARGEST_REPORT))
    except (ValueError, RecursionError) as error:
        raise InputError("is no JSON", subject=path, remedy="a report is written by slice --report") from error
    if not isinstance(record, dict) or not record.keys() >= REPORT_KEYS:
        raise InputError("is no report", subject=path, remedy="a report is written by slice --report")
    return record


def _of_gcode(path: Path) -> Compared:
    """Return what a G-code file tells: its head's words, and what it measures."""
    head, checked = read_gcode(path).head, check_gcode(path)
    figures: dict[str, float] = {
        "time_s": checked.time_s,
        "layers": checked.layers,
        "retractions": checked.retractions,
        "changes_of_extruder": checked.changes_of_extruder,
        **{f"volume_mm3.{role}": volume for role, volume in checked.volume_by_role_mm3.items()},
    }
    if "mass_g" in head:
        figures["mass_g"] = float(head["mass_g"])
    return Compared(dict(_set_in(head)), figures)


def _set_in(head: dict[str, str]) -> Iterator[tuple[tuple[str, str], str]]:
    """Give what the head of a file says was set, with its scope."""
    for word, value in head.items():
        key, _, part = word.partition("@")
        if "." in key or key in {"machine", "recipe", "material"}:
            yield (part or OF_JOB, key), value
