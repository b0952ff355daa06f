"""What a sweep of infill from 5 to 40 % in eight steps costs, in full slices of the same job.

./even-step bench trials [--repeat N]
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from pathlib import Path

from tests.shapes import ball, write_stl
from tests.slicing_help import job_of

from even_step.core.job.model import Job
from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from even_step.core.pipeline import slice_job
from even_step.core.report import report
from even_step.core.stages import StageCache, StageRun
from even_step.core.trials.ranges import jobs_of, range_of
from even_step.core.trials.sweep import sweep
from even_step.core.work import crew

SWEPT = "infill.density=5:40:5"


def full(job: Job) -> float:
    """Return what a slice out of nothing takes with its report, s."""
    began = time.perf_counter()
    with crew(2) as hands:
        run = StageRun(hands, StageCache())
        report(slice_job(job, hands, run.cache, run), run)
    return time.perf_counter() - began


def swept(job: Job) -> float:
    """Return what the sweep takes out of nothing, s."""
    began = time.perf_counter()
    with crew(2) as hands:
        for _ in sweep(jobs_of(job, [range_of(SWEPT)]), hands, StageCache()):
            pass
    return time.perf_counter() - began


def main(arguments: list[str]) -> int:
    """Run the bench and print the table."""
    parser = argparse.ArgumentParser(prog="./even-step bench trials", description=__doc__)
    parser.add_argument("--repeat", type=int, default=3)
    chosen = parser.parse_args(arguments)
    with tempfile.TemporaryDirectory(prefix="even-step-") as name:
        jobs = {
            "the demo job": read_job_text(DATA / "demo" / "weather_post.toml"),
            "a ball of 82 000 facets": job_of(write_stl(Path(name) / "ball.stl", ball(30.0, 6))),
        }
        print("| job | a full slice, s | the sweep, s | full slices |\n|---|---|---|---|")
        for what, job in jobs.items():
            full(job)  # loads the kernels
            pairs = [(full(job), swept(job)) for _ in range(chosen.repeat)]
            one, all_ = (statistics.median(times) for times in zip(*pairs, strict=True))
            print(f"| {what} | {one:.2f} | {all_:.2f} | {all_ / one:.1f} |")
    return 0
