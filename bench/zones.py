"""What 200 zones cost on a plate of 100 × 100 × 4 mm, by what they change, against such cylinders by themselves.

./even-step bench zones [--repeat N]
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from pathlib import Path

import trimesh
from tests.slicing_help import job_of

from even_step.core.catalogue.setting import Value
from even_step.core.job.model import Job
from even_step.core.job.zones import Zone
from even_step.core.pipeline import slice_job
from even_step.core.stages import StageCache
from even_step.core.work import crew

MANY = 200
ROW = 20
CHANGES: dict[str, dict[str, Value]] = {
    "density": {"infill.density": 60},
    "walls": {"walls.count": 5},
    "tops": {"top.layers": 2, "top.pattern": "concentric"},
    "speed": {"motion.print_speed": 50},
    "all of these": {
        "infill.density": 60,
        "walls.count": 5,
        "top.layers": 2,
        "top.pattern": "concentric",
        "motion.print_speed": 50,
    },
}


def middles() -> list[tuple[float, float, float]]:
    """Return where the cylinders stand: all over, the outermost across the plate's sides."""
    rows = MANY // ROW - 1
    return [(-47.5 + 95.0 * (i % ROW) / (ROW - 1), -47.5 + 95.0 * (i // ROW) / rows, 2.0) for i in range(MANY)]


def zoned(job: Job, settings: dict[str, Value]) -> Job:
    """Give the plate cylinders of 4 mm."""
    zones = tuple(
        Zone(shape="cylinder", middle=middle, size=(4.0, 4.0, 6.0), settings=settings) for middle in middles()
    )
    return job.model_copy(update={"parts": tuple(part.model_copy(update={"zones": zones}) for part in job.parts)})


def apart(folder: Path, settings: dict[str, Value]) -> Job:
    """Return the job of such cylinders, as high as the plate, with the settings of the zones."""
    path = folder / "cylinders.stl"
    cylinder = trimesh.creation.cylinder(2.0, 4.0, sections=40)
    made = trimesh.util.concatenate([cylinder.copy().apply_translation(middle) for middle in middles()])
    made.export(path)  # type: ignore[no-untyped-call]
    job: Job = job_of(path, settings)
    return job


def seconds(job: Job, repeat: int) -> float:
    """Return the median time of a slice."""
    took = []
    for _ in range(repeat + 1):
        began = time.perf_counter()
        with crew(2) as hands:
            slice_job(job, hands, StageCache())
        took.append(time.perf_counter() - began)
    return statistics.median(took[1:])


def main(arguments: list[str]) -> int:
    """Run the bench and print the table."""
    parser = argparse.ArgumentParser(prog="./even-step bench zones", description=__doc__)
    parser.add_argument("--repeat", type=int, default=5)
    chosen = parser.parse_args(arguments)
    with tempfile.TemporaryDirectory(prefix="even-step-") as name:
        path = Path(name) / "plate.stl"
        trimesh.creation.box((100.0, 100.0, 4.0)).export(path)
        job = job_of(path)
        print("| zones that change | the plate with them, s | such cylinders alone, s |\n|---|---|---|")
        print(f"| nothing, none of them | {seconds(job, chosen.repeat):.2f} | |")
        for what, settings in CHANGES.items():
            alone = seconds(apart(Path(name), settings), chosen.repeat)
            print(f"| {what} | {seconds(zoned(job, settings), chosen.repeat):.2f} | {alone:.2f} |")
    return 0
