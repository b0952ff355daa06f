"""``demo``: slice the weather post without a window; its G-code and pictures go into ``out/``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from even_step.commands.slice_command import Progress, clock
from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from even_step.core.motion.writer import gcode
from even_step.core.output import write_whole
from even_step.core.picture import section_picture
from even_step.core.pipeline import slice_job
from even_step.core.report import gcode_job, material_used
from even_step.core.stages import StageCache
from even_step.core.work import crew

JOB = DATA / "demo" / "weather_post.toml"
OUT = Path("out")
SECTIONS = (2.0, 14.0, 30.0)  # mm above the bed


def add_to(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("demo", help="slice the weather post into out/")
    parser.add_argument("--quiet", action="store_true", help="no progress")
    parser.set_defaults(run=run)


def run(chosen: argparse.Namespace) -> int:
    """Slice the demo job, write G-code and sections, and say so."""
    progress = Progress(chosen.quiet)
    OUT.mkdir(exist_ok=True)
    with crew(2, progress) as hands:
        sliced = slice_job(read_job_text(JOB), hands, StageCache())
        target = OUT / "weather_post.gcode"
        write_whole(target, gcode(gcode_job(sliced), hands))
    written = [target]
    for height in SECTIONS:
        layer = int(abs(sliced.toolpath.top - height).argmin())
        picture = OUT / f"section_{height:g}mm.png"
        write_whole(picture, [section_picture(sliced.toolpath, layer, sliced.job.machine.bed)])
        written.append(picture)
    used = material_used(sliced)[0]
    progress.done("")
    print(
        f"{sliced.job.name}: {len(sliced.placed)} parts, {sliced.toolpath.layers} layers, "
        f"{clock(sliced.plan.total)}, {used['mass_g']:.1f} g of {used['name']}"
    )
    for finding in sliced.findings:
        print(f"{finding.severity}: {finding.message}")
    print("There is no window yet; written instead: " + ", ".join(str(path) for path in written))
    return 0
