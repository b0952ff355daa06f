"""Slice the yardstick's shapes and measure each stage against the floor of the same work, in turns.

    ./even-step bench [--repeat N] [--write] [SHAPE ...]
    ./even-step bench window [--repeat N] [--write]     the window instead
    ./even-step bench supports [--repeat N]             supports instead
    ./even-step bench zones [--repeat N]                two hundred zones instead
    ./even-step bench modes [--repeat N]                following heights, texture, holes and vases instead
    ./even-step bench trials [--repeat N]               a sweep against full slices instead

The floor comes from ``yardstick.py`` (beside the repository, under ``shared/yardstick``); without it only our
own times are printed. ``--write`` keeps the table in ``docs/performance.md``.
"""

from __future__ import annotations

import argparse
import importlib.util
import math
import os
import statistics
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from bench import modes, shapes, supports, trials, window, zones
from even_step.core.job.bring_in import parts_of
from even_step.core.job.model import Job, Machine, Material, Recipe
from even_step.core.job.shipped import DATA, find
from even_step.core.job.text import read_job_text
from even_step.core.mesh.read.model import read_model
from even_step.core.motion.writer import gcode
from even_step.core.output import write_whole
from even_step.core.pipeline import slice_job
from even_step.core.report import gcode_job
from even_step.core.slicing import narrow
from even_step.core.stages import StageCache, StageRun
from even_step.core.work import crew

ROOT = Path(__file__).parents[1]
YARDSTICK = ROOT.parent / "shared" / "yardstick" / "yardstick.py"
SHAPES = ("sphere8", "gyroid", "plate")
#: Our stages beside the floor's; what the floor leaves out stands in the last row.
BESIDE = {
    "load": ("read",),
    "contour": ("contours",),
    "regions": ("regions", "walls", "covers"),
    "infill": ("infill",),
    "order": ("order",),
    "write": ("write",),
}
BEYOND = ("heights", "hanging", "foot", "courses", "purge", "motion", "findings", "ledger")
WHOLE = "whole"  # by the clock: stages work side by side, so that theirs add up to more
SETTINGS: dict[str, object] = {
    "walls.count": 3,
    "infill.density": 15,
    "infill.pattern": "lines",
    "infill.end_run": 0,
    "skirt.loops": 0,
}
PAGE = ROOT / "docs" / "performance.md"
MARK = "<!-- measured -->"


def yardstick() -> Any:
    """Return the yardstick as a module, or none where it is not at hand."""
    if not YARDSTICK.exists():
        return None
    spec = importlib.util.spec_from_file_location("yardstick", YARDSTICK)
    if spec is None or spec.loader is None:
        return None
    module = importlib.util.module_from_spec(spec)
    sys.modules["yardstick"] = module
    spec.loader.exec_module(module)
    return module


def job_of(path: Path) -> Job:
    """Return the plain job the yardstick's work is compared with."""
    return Job(
        name=path.stem,
        machine=find(Machine, "Larch 220"),
        materials=(find(Material, "PLA"),),
        recipe=find(Recipe, "Even"),
        settings=SETTINGS,
        parts=parts_of(path, read_model(path)),
    )


def slice_once(job: Job, out: Path, cache: StageCache | None = None) -> tuple[dict[str, float], int]:
    """Slice and write; returns seconds by stage, with the whole under ``WHOLE``, and bytes written."""
    cache = cache or StageCache()
    out.unlink(missing_ok=True)  # to be rid of what stood there is not what is measured
    began = time.perf_counter()
    with crew(2) as hands:
        run = StageRun(hands, cache)
        sliced = slice_job(job, hands, cache, run)
        with run.timed("write"):
            size = write_whole(out, gcode(gcode_job(sliced), hands))
    return {**run.wall, WHOLE: time.perf_counter() - began}, size


def peak_memory() -> float:
    """Return this process' peak since it was last reset, MB."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) / 1024
    return 0.0


def forget_peak() -> None:
    """Start the peak anew where the system allows it."""
    try:
        Path("/proc/self/clear_refs").write_text("5")
    except OSError:
        return


def medians(runs: list[dict[str, float]]) -> dict[str, float]:
    """Return the median of each stage."""
    return {name: statistics.median(run.get(name, 0.0) for run in runs) for name in {k for run in runs for k in run}}


def shape_rows(name: str, folder: Path, floor: Any, repeat: int) -> list[str]:
    """Measure one shape in turns with the floor; returns rows of the table."""
    path = folder / f"{name}.stl"
    floor.write_stl(str(path), shapes.SHAPES[name]() if name in shapes.SHAPES else floor.make(name))
    job, out = job_of(path), folder / "out.gcode"
    narrow.TALLY = narrow.Tally()
    slice_once(job, out)
    finer, unfollowed = narrow.TALLY.shares()
    of_middles, of_all = narrow.TALLY.shares_of_forks()
    ours: list[dict[str, float]] = []
    theirs: list[dict[str, float]] = []
    peak, size, again = 0.0, 0, []
    for _ in range(repeat):
        theirs.append(floor.measure(str(path), threads=2)["seconds"])
        forget_peak()
        cache = StageCache()
        wall, size = slice_once(job, out, cache)
        peak = max(peak, peak_memory())
        ours.append(wall)
        later, _ = slice_once(job.with_settings({"infill.density": 30}), out, cache)
        again.append(later[WHOLE] / wall[WHOLE])
    mine, base = medians(ours), medians(theirs)
    rows = []
    for stage, own in BESIDE.items():
        took = sum(mine.get(one, 0.0) for one in own)
        rows.append(
            f"| {name} | {stage}: {', '.join(own)} | {base[stage]:.3f} | {took:.3f} | {took / base[stage]:.1f} |"
        )
    beyond = sum(mine.get(one, 0.0) for one in BEYOND)
    total, least = mine[WHOLE], sum(base.values())
    rows.append(f"| {name} | beyond the floor: {', '.join(BEYOND)} | - | {beyond:.3f} | {beyond / least:.1f} |")
    rows.append(f"| {name} | **whole** | **{least:.3f}** | **{total:.3f}** | **{total / least:.1f}** |")
    notes = f"peak {peak:.0f} MB, {size / 1e6 / mine['write']:.0f} MB/s written"
    rows.append(
        f"| {name} | narrow points followed from finer samples, not at all | {finer:.2%} | {unfollowed:.2%} | |"
    )
    told = "points from the triangles of places that fork: of middle lines, of all lines in narrow places"
    rows.append(f"| {name} | {told} | {of_middles:.1%} | {of_all:.1%} | |")
    rows.append(f"| {name} | {notes}, again with density 30 | - | - | {statistics.median(again):.2f} of the first |")
    return rows


def demo_row(folder: Path, repeat: int) -> str:
    """Measure the demo job."""
    job = read_job_text(DATA / "demo" / "weather_post.toml")
    slice_once(job, folder / "demo.gcode")
    times = [slice_once(job, folder / "demo.gcode")[0][WHOLE] for _ in range(repeat)]
    return f"The demo job (11 parts) takes {statistics.median(times):.2f} s, file reading included.\n"


def growth(folder: Path, floor: Any, repeat: int) -> str:
    """Measure how time grows with facets and with layers, and the memory of a million facets in a thousand layers."""

    def fastest(shape: str, height: float) -> float:
        path = folder / f"{shape}.stl"
        if not path.exists():
            floor.write_stl(str(path), floor.make(shape))
        job = job_of(path).with_settings({"layers.height": height, "layers.first_height": height})
        return min(slice_once(job, folder / "out.gcode")[0][WHOLE] for _ in range(repeat + 1))

    facets = [fastest(shape, 0.2) for shape in ("sphere6", "sphere8")]
    layers = [fastest("sphere7", height) for height in (0.3, 0.08)]
    forget_peak()
    took = fastest("sphere8", 0.08)
    return (
        f"From 82 000 to 1 310 000 facets of a ball the time grows with exponent {exponent(facets, 16):.2f}, from 267 "
        f"to 1000 layers with {exponent(layers, 3.75):.2f}. 1 310 000 facets in 1000 layers take {took:.2f} s and "
        f"{peak_memory():.0f} MB at the peak.\n"
    )


def exponent(times: list[float], factor: float) -> float:
    """Return the exponent of growth when the work becomes ``factor`` times as much."""
    return math.log(times[1] / times[0]) / math.log(factor)


def main() -> int:
    """Run the bench and print the table."""
    parser = argparse.ArgumentParser(prog="./even-step bench", description=__doc__)
    parser.add_argument("--repeat", type=int, default=5)
    parser.add_argument("--write", action="store_true", help="keep the table in docs/performance.md")
    parser.add_argument("shapes", nargs="*", help="only these, and neither demo nor growth")
    chosen = parser.parse_args()
    if chosen.write and chosen.shapes:
        parser.error("the page holds all shapes: leave out --write, or the names")
    floor = yardstick()
    with tempfile.TemporaryDirectory(prefix="even-step-") as name:
        folder = Path(name)
        demo = "" if chosen.shapes else demo_row(folder, chosen.repeat)
        rows = ["| shape | stage of the floor: ours | floor, s | ours, s | ratio |", "|---|---|---|---|---|"]
        if floor is None:
            print("the yardstick is not at hand; only the demo was measured", file=sys.stderr)
        else:
            floor.warmup()
            for shape in chosen.shapes or (*SHAPES, *shapes.SHAPES):
                rows += shape_rows(shape, folder, floor, chosen.repeat)
            if not chosen.shapes:
                demo += "\n" + growth(folder, floor, chosen.repeat)
    when = time.strftime("%Y-%m-%d")
    text = f"Measured {when} on {os.cpu_count()} cores, medians of {chosen.repeat} interleaved runs.\n\n"
    text += "\n".join(rows) + "\n\n" + demo
    print(text)
    if chosen.write:
        page = PAGE.read_text()
        PAGE.write_text(page[: page.index(MARK) + len(MARK)] + "\n\n" + text)
    return 0


if __name__ == "__main__":
    if sys.argv[1:2] == ["window"]:
        sys.exit(window.main(sys.argv[2:]))
    if sys.argv[1:2] == ["supports"]:
        sys.exit(supports.main(sys.argv[2:]))
    if sys.argv[1:2] == ["modes"]:
        sys.exit(modes.main(sys.argv[2:]))
    if sys.argv[1:2] == ["trials"]:
        sys.exit(trials.main(sys.argv[2:]))
    if sys.argv[1:2] == ["zones"]:
        sys.exit(zones.main(sys.argv[2:]))
    sys.exit(main())
