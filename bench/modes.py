"""What layers that follow the surface, texture, true-size holes and vase mode cost, against the same part without.

./even-step bench modes [--repeat N]
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from pathlib import Path

from tests.shapes import ball, write_stl
from tests.slicing_help import job_of

from even_step.core.catalogue.setting import Value
from even_step.core.job.model import Job
from even_step.core.job.shipped import DATA
from even_step.core.pipeline import slice_job
from even_step.core.stages import StageCache, StageRun
from even_step.core.work import crew

DEMO = DATA / "demo"
Settings = dict[str, Value]
FOLLOWS: Settings = {"layers.follow_surface": True, "layers.least": 0.08}
ROUGH: Settings = {"texture.depth": 0.3, "texture.opening_width": 10.0}
HOLES: Settings = {"holes.true_size": True}
VASE: Settings = {"vase.on": True, "walls.outer_line_width": 0.7}


def sliced(job: Job, repeat: int) -> tuple[float, float, int]:
    """Return the median time of a slice and of what finds its heights, s, and how many points it lays."""
    whole, heights, points = [], [], 0
    for _ in range(repeat + 1):
        began = time.perf_counter()
        with crew(2) as hands:
            cache = StageCache()
            run = StageRun(hands, cache)
            points = len(slice_job(job, hands, cache, run).toolpath.xy)
        whole.append(time.perf_counter() - began)
        heights.append(run.wall["heights"])
    return statistics.median(whole[1:]), statistics.median(heights[1:]), points


def main(arguments: list[str]) -> int:
    """Run the bench and print the table."""
    parser = argparse.ArgumentParser(prog="./even-step bench modes", description=__doc__)
    parser.add_argument("--repeat", type=int, default=5)
    repeat = parser.parse_args(arguments).repeat
    print("| part | | seconds | of it heights | points | µs a point |\n|---|---|---|---|---|---|")
    with tempfile.TemporaryDirectory() as folder:
        round_ = write_stl(Path(folder) / "ball.stl", ball(30.0, 6))
        for path, settings in (
            (round_, FOLLOWS),
            (DEMO / "wind_cup.stl", FOLLOWS),
            (DEMO / "sensor_case.stl", ROUGH),
            (DEMO / "bearing_hub.stl", HOLES),
            (DEMO / "rain_funnel.stl", VASE),
        ):
            for asked in ({}, settings):
                took, found, points = sliced(job_of(path, asked), repeat)
                what = ", ".join(asked) or "without"
                share = f"{found / took:.1%}"
                print(f"| {path.stem} | {what} | {took:.3f} | {share} | {points} | {1e6 * took / points:.2f} |")
    return 0
