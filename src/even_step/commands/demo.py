"""``demo`` and ``shots``: slice the weather post; its G-code and pictures go into ``out/`` or the documents."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from even_step.commands.slice_command import Progress, clock
from even_step.core.errors import OutputError
from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from even_step.core.motion.writer import gcode
from even_step.core.output import write_whole
from even_step.core.picture import section_picture
from even_step.core.pipeline import Sliced, slice_job
from even_step.core.report import gcode_job, material_used
from even_step.core.stages import StageCache
from even_step.core.work import crew

JOB = DATA / "demo" / "weather_post.toml"
OUT = Path("out")
SHOTS = Path(__file__).parents[3] / "docs" / "screenshots"
SECTIONS = (2.0, 14.0, 30.0)  # mm above the bed
LONGEST = 1280  # points


def add_to(commands: Any) -> None:
    """Declare the commands."""
    demo = commands.add_parser("demo", help="slice the weather post into out/")
    shots = commands.add_parser("shots", help="make docs/screenshots/ again from the demo")
    for parser, run in ((demo, run_demo), (shots, run_shots)):
        parser.add_argument("--quiet", action="store_true", help="no progress")
        parser.set_defaults(run=run)


def run_demo(chosen: argparse.Namespace) -> int:
    """Slice the demo job, write G-code and sections, and say so."""
    progress = Progress(chosen.quiet)
    _make_folder(OUT)
    with crew(2, progress) as hands:
        sliced = slice_job(read_job_text(JOB), hands, StageCache())
        target = OUT / "weather_post.gcode"
        write_whole(target, gcode(gcode_job(sliced), hands))
    written = [target, *(_section(sliced, height, OUT) for height in SECTIONS)]
    progress.done("")
    used = material_used(sliced)[0]
    print(
        f"{sliced.job.name}: {len(sliced.placed)} parts, {sliced.toolpath.layers} layers, "
        f"{clock(sliced.plan.total)}, {used['mass_g']:.1f} g of {used['name']}"
    )
    for finding in sliced.findings:
        print(f"{finding.severity}: {finding.message}")
    print("There is no window yet; written instead: " + ", ".join(str(path) for path in written))
    return 0


def run_shots(chosen: argparse.Namespace) -> int:
    """Draw the pictures that the documents show."""
    _make_folder(SHOTS)
    with crew(2, Progress(chosen.quiet)) as hands:
        sliced = slice_job(read_job_text(JOB), hands, StageCache())
    print(_section(sliced, SECTIONS[0], SHOTS))
    return 0


def _section(sliced: Sliced, height: float, folder: Path) -> Path:
    """Draw the layer that ends nearest to a height."""
    layer = int(abs(sliced.toolpath.top - height).argmin())
    picture = folder / f"section_{height:g}mm.png"
    write_whole(picture, [section_picture(sliced.toolpath, layer, sliced.job.machine.bed, LONGEST)])
    return picture


def _make_folder(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"cannot be made: {error.strerror}", subject=folder) from error
