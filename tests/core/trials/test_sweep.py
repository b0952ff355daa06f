"""Sweeps over settings, and the line that fits."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.errors import Cancelled, EvenStepError, SettingError
from even_step.core.job.cascade import cascade
from even_step.core.motion.check import check_gcode
from even_step.core.stages import StageCache
from even_step.core.trials.figures import figures_of, row_of
from even_step.core.trials.line_fit import best_of, widths_to_try
from even_step.core.trials.ranges import jobs_of, range_of
from even_step.core.trials.sweep import sweep
from even_step.core.work import crew
from tests.shapes import box, comb, extruded, write_stl
from tests.slicing_help import job_of, slice_again

DENSITY = "infill.density"


def wheel(teeth=24, thick=1.25):
    """A ring with straight teeth of a thickness all round."""
    ring = shapely.Point(0, 0).buffer(12) - shapely.Point(0, 0).buffer(9)
    tooth = shapely.box(11.5, -thick / 2, 16, thick / 2)
    turned = [shapely.affinity.rotate(tooth, 360 * k / teeth, origin=(0, 0)) for k in range(teeth)]
    return extruded(shapely.union_all([ring, *turned]), 1.0)


def rows_of(jobs):
    with crew(2) as hands:
        return list(sweep(jobs, hands, StageCache()))


@pytest.mark.parametrize(
    ("asked", "values"),
    [
        ("infill.density=5:40:5", (5, 10, 15, 20, 25, 30, 35, 40)),
        ("infill.density=40:5:20", (40, 20, 5)),
        ("infill.density=10:10:5", (10,)),
        ("walls.count=2:4:1", (2, 3, 4)),
        ("layers.height=0.1:0.25:0.1", (0.1, 0.2, 0.25)),
        ("infill.pattern=lines, gyroid,lines", ("lines", "gyroid")),
    ],
)
def test_a_range_is_tried_from_end_to_end(asked, values):
    made = range_of(asked)
    assert made.values == pytest.approx(values) if isinstance(values[0], float) else made.values == values
    assert made.key == asked.partition("=")[0]


@pytest.mark.parametrize(
    "asked",
    ["infill.density", "infill.density=", "infill.density=5:40", "infill.density=5:40:0", "infill.density=5:nan:1"]
    + ["infill.density=0:100:0.001", "infill.density=90:120:10", "walls.count=1:2:0.5", "no.such=1:2:1"],
)
def test_a_range_that_cannot_be_is_refused_with_its_place(asked):
    with pytest.raises(SettingError) as told:
        range_of(asked)
    assert asked.partition("=")[0] in str(told.value)


def test_two_settings_make_every_pair_and_all_are_checked_before_any_is_sliced(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(10, 10, 2)))
    made = jobs_of(job, [range_of("infill.density=10,20"), range_of("walls.count=1:3:1")])
    assert [tuple(swept.values()) for swept, _ in made] == [(d, n) for d in (10, 20) for n in (1, 2, 3)]
    assert all(cascade(one).values[DENSITY] == swept[DENSITY] for swept, one in made)
    with pytest.raises(SettingError, match="two different"):
        jobs_of(job, [range_of("walls.count=1,2"), range_of("walls.count=3,4")])
    with pytest.raises(SettingError, match="outside what"):
        jobs_of(job, [range_of("motion.print_speed=50,990")])
    with pytest.raises(SettingError, match="slices"):
        jobs_of(job, [range_of("infill.density=1:100:1"), range_of("walls.count=1:9:1")])


def test_each_row_is_what_a_slice_of_its_own_reports(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", box(16, 16, 3)))
    jobs = jobs_of(job, [range_of("infill.density=5:40:5")])
    rows = rows_of(jobs)
    for (swept, one), row in zip(jobs, rows, strict=True):
        told = slice_again(tmp_path, one).report
        assert row == row_of(told, swept)
        assert row["time_s"] == told["time_s"]
    assert (np.diff([row["mass_g"] for row in rows]) > 0).all()


def test_what_was_done_before_a_sweep_is_called_off_stays(tmp_path):
    jobs = jobs_of(job_of(write_stl(tmp_path / "part.stl", box(10, 10, 2))), [range_of("infill.density=5:40:5")])
    rows = []
    with crew(2, cancelled=lambda: len(rows) == 3) as hands, pytest.raises(Cancelled):
        rows.extend(iter_into(rows, sweep(jobs, hands, StageCache())))
    assert [row[DENSITY] for row in rows] == [5, 10, 15]


def test_one_that_cannot_be_sliced_ends_a_sweep_with_its_error_and_keeps_what_was_done(tmp_path):
    jobs = jobs_of(job_of(write_stl(tmp_path / "part.stl", box(10, 10, 2))), [range_of("infill.density=5:40:5")])
    missing = job_of(write_stl(tmp_path / "gone.stl", box(9, 9, 2)))
    (tmp_path / "gone.stl").unlink()
    rows = []
    with crew(2) as hands, pytest.raises(EvenStepError, match="gone"):
        rows.extend(iter_into(rows, sweep([*jobs[:3], ({DENSITY: 50.0}, missing), *jobs[3:]], hands, StageCache())))
    assert [row[DENSITY] for row in rows] == [5, 10, 15]


def iter_into(rows, made):
    """Put rows down one by one, as they come."""
    for row in made:
        rows.append(row)
    return ()


def test_with_constant_widths_a_line_is_found_that_fits_the_teeth_of_a_comb(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", comb(6, 1.25, 2.0, 2.0)), {"walls.vary_width": False})
    tried = widths_to_try(job)
    rows = rows_of(tried)
    best = best_of(job, rows)
    assert best["void_mm2"] <= rows[0]["void_mm2"] / 10
    assert all(0.34 - 1e-9 <= row["walls.line_width"] <= 0.46 + 1e-9 for row in rows)
    assert tried[0][1].settings["walls.line_width"] == cascade(job).values["walls.line_width"]


def test_the_line_that_fits_a_wheel_leaves_least_and_its_strokes_are_counted(tmp_path):
    job = job_of(write_stl(tmp_path / "part.stl", wheel()), {"walls.count": 1})
    rows = rows_of(widths_to_try(job))
    best = best_of(job, rows)
    assert abs(best["walls.line_width"] / 0.4 - 1) <= 0.15 + 1e-9
    assert best["void_mm2"] <= min(row["void_mm2"] for row in rows) * 1.01 + 0.01
    # What a tooth of 1.25 mm has between its two walls is one stroke, in each of five layers.
    strokes = {row["walls.line_width"]: row["gap_fill_strokes"] for row in rows}
    assert strokes[0.4] >= 24 * 5
    assert strokes[0.4] % 5 == 0


def test_a_width_farther_from_the_bore_is_shown_beside_the_others_but_does_not_fit(plain_job):
    wide = plain_job.with_settings({"walls.line_width": 0.6, "walls.outer_line_width": 0.6})
    tried = [swept for swept, _ in widths_to_try(wide)]
    assert tried[0]["walls.line_width"] == 0.6
    assert all(0.34 - 1e-9 <= swept["walls.line_width"] <= 0.46 + 1e-9 for swept in tried[1:])
    rest = {"overlap_mm2": 0.0, "gap_fill_strokes": 0}
    rows = [{**swept, "void_mm2": 50.0, **rest} for swept in tried]
    rows[0]["void_mm2"] = 0.0
    rows[tried.index({"walls.outer_line_width": 0.42, "walls.line_width": 0.42})]["void_mm2"] = 1.0
    assert best_of(wide, rows)["walls.line_width"] == 0.42
    assert best_of(wide, rows[::-1])["walls.line_width"] == 0.42


@pytest.mark.parametrize("settings", [{}, {"travel.retract_length": 0}, {"travel.retract_from": 0.5}])
def test_retractions_are_those_of_the_file(tmp_path, settings):
    done = slice_again(tmp_path, job_of(write_stl(tmp_path / "part.stl", comb(4, 1.2, 3.0, 1.0)), settings))
    assert done.report["retractions"] == check_gcode(done.gcode).retractions
    assert figures_of(done.report)["retractions"] == done.report["retractions"]
