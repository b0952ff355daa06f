"""The step curve: knots hold their spans and nothing else, in text and saved jobs."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from pydantic import ValidationError

from even_step.core.errors import JobError
from even_step.core.height_ways import height_ways
from even_step.core.job import edits
from even_step.core.job.cascade import resolve
from even_step.core.job.differences import differences
from even_step.core.job.file import job_file, read_job_file
from even_step.core.job.step_curve import MOST_KNOTS, Knot
from even_step.core.job.text import job_text, read_job_text
from even_step.core.output import write_whole
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import models_of
from even_step.core.work import Crew
from tests.shapes import ball, box, write_stl
from tests.slicing_help import job_of, slice_again

FOLLOWS = {"layers.follow_surface": True, "layers.ease": 0.03}


def block(tmp_path, settings=None, facets=None):
    return job_of(write_stl(tmp_path / "part.stl", box(10, 10, 20) if facets is None else facets), settings)


def with_knots(job, *knots):
    for number, (low, high, height) in enumerate(knots):
        job = edits.with_knot(job, job.parts[0].id, number, Knot(low=low, high=high, height=height))
    return job


def layers(tmp_path, job):
    heights = slice_again(tmp_path, job).sliced.solids[0].heights
    return heights.tops, heights.thick


def test_a_knot_alters_its_span_alone_and_layers_end_at_both_its_ends(tmp_path):
    job = block(tmp_path)
    before, _ = layers(tmp_path, job)
    tops, thick = layers(tmp_path, with_knots(job, (6.0, 9.0, 0.1)))
    assert 6.0 in np.round(tops, 3)
    assert 9.0 in np.round(tops, 3)
    inside = (tops > 6.0 + 1e-6) & (tops < 9.0 + 1e-6)
    assert thick[inside] == pytest.approx(0.1, abs=1e-3)
    assert thick[~inside] == pytest.approx(0.2, abs=1e-3)
    assert tops[tops < 6.0] == pytest.approx(before[before < 6.0])
    assert tops[-1] == pytest.approx(20.0)


def test_where_the_surface_is_followed_only_the_span_and_the_ease_beside_it_change(tmp_path):
    job = block(tmp_path, FOLLOWS, ball(10.0, 4) + (0, 0, 10))
    (before, was), (tops, thick) = (layers(tmp_path, one) for one in (job, with_knots(job, (9.0, 11.0, 0.08))))
    inside = (tops > 9.0 + 1e-6) & (tops < 11.0 + 1e-6)
    assert thick[inside] == pytest.approx(0.08, abs=0.006)
    reach = (was.max() - 0.08) / 0.03 * was.max()
    far = tops < 9.0 - reach
    assert far.sum() > 10
    assert tops[far] == pytest.approx(before[: far.sum()])
    beside = thick[~inside][1:]
    steps = np.abs(np.diff(thick))
    near = (tops[1:] > 9.0 - reach) & (tops[1:] < 11.0 + reach)
    uneven = steps[near] > 0.03 + 0.012
    assert uneven.sum() <= 3, "only where layers share what it takes to end at an end of the span"
    assert beside.max() > 0.25


def test_the_later_knot_wins_and_what_the_nozzle_cannot_is_kept_within_its_limits(tmp_path):
    _, thick = layers(tmp_path, with_knots(block(tmp_path), (2.0, 8.0, 0.3), (4.0, 6.0, 0.1), (10.0, 12.0, 5.0)))
    assert set(np.round(thick, 2)) >= {0.1, 0.3, 0.2}
    assert thick.max() <= 0.32 + 1e-6


def test_smoothing_puts_knots_between_and_reset_takes_all_away(tmp_path):
    job = with_knots(block(tmp_path), (2.0, 6.0, 0.1), (10.0, 14.0, 0.3))
    part = job.parts[0].id
    curve = edits.smoothed(job, part, 0.02).parts[0].curve
    assert len(curve) > 6
    heights = [knot.height for knot in curve]
    assert heights == sorted(heights)
    assert max(np.diff(heights)) < 0.04
    assert all(one.high == pytest.approx(other.low) for one, other in itertools.pairwise(curve))
    assert (curve[0].low, curve[-1].high) == (2.0, 14.0)
    assert edits.without_curve(job, part).parts[0].curve == ()
    assert [knot.height for knot in edits.without_knot(job, part, 0).parts[0].curve] == [0.3]


def test_two_parts_of_one_model_have_curves_of_their_own(tmp_path):
    job = block(tmp_path)
    two = job.model_copy(update={"parts": (*job.parts, *block(tmp_path).parts)})
    two = edits.with_knot(two, two.parts[0].id, 0, Knot(low=5, high=10, height=0.1))
    solids = slice_again(tmp_path, two).sliced.solids
    assert sorted(len(solid.heights.thick) for solid in solids) == [100, 125]


def test_the_curve_is_in_the_text_and_in_the_saved_job_and_told_in_trials(tmp_path):
    plain = block(tmp_path)
    job = with_knots(plain, (6.0, 9.0, 0.1))
    text = tmp_path / "job.toml"
    text.write_text(job_text(job))
    assert read_job_text(text).parts[0].curve == job.parts[0].curve
    saved = tmp_path / "job.3mf"
    write_whole(saved, [job_file(job, models_of(job, StageRun(Crew(1), StageCache())))])
    assert read_job_file(saved, []).parts[0].curve == job.parts[0].curve
    assert differences(plain, job) == ["step curve of part"]


@pytest.mark.parametrize("wrong", [(5, 5, 0.1), (6, 5, 0.1), (-1, 5, 0.1), (1, 5, 0.0), (1, float("inf"), 0.1)])
def test_knots_that_cannot_be_are_refused(wrong):
    with pytest.raises(ValidationError):
        Knot(low=wrong[0], high=wrong[1], height=wrong[2])


def test_three_ways_are_coarse_fine_and_between(tmp_path):
    job = block(tmp_path, None, ball(10.0, 4) + (0, 0, 10))
    coarse, fine, between = (job.with_settings(way) for way in height_ways(resolve(job).job.values, job.machine))
    times = [slice_again(tmp_path, one).report["time_s"] for one in (coarse, between, fine)]
    assert times == sorted(times)
    (_, thick), (_, thin) = layers(tmp_path, coarse), layers(tmp_path, fine)
    assert np.median(thick) == pytest.approx(0.3)
    assert np.median(thin) == pytest.approx(0.1)


def test_knots_that_begin_together_are_smoothed_and_too_many_are_refused(tmp_path):
    job = with_knots(block(tmp_path), (2.0, 6.0, 0.1), (2.0, 4.0, 0.3))
    curve = edits.smoothed(job, job.parts[0].id, 0.02).parts[0].curve
    assert {(knot.low, knot.high, knot.height) for knot in curve} == {(2.0, 6.0, 0.1), (2.0, 4.0, 0.3)}
    many = with_knots(job, *((k * 0.05, k * 0.05 + 0.05, 0.1) for k in range(MOST_KNOTS)))
    with pytest.raises(JobError, match="knots"):
        edits.with_knot(many, job.parts[0].id, MOST_KNOTS, Knot(low=1, high=2, height=0.1))
