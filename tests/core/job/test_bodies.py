"""Bodies of an assembly: split off, joined again, kept apart through saving."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from even_step.core.errors import JobError
from even_step.core.job.edits import (
    bodies_of,
    joined_again,
    placed_at,
    split_off,
    with_bodies_hidden,
    with_copies,
    with_part,
)
from even_step.core.job.file import job_file, read_job_file
from even_step.core.job.shipped import DATA
from even_step.core.job.spots import spots_of
from even_step.core.mesh.measure import measure
from even_step.core.mesh.read.model import read_model
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import models_of
from even_step.core.work import Crew
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_part, nth_spot

ARROW = DATA / "demo" / "wind_arrow.3mf"
NAMES = ("shaft", "point", "tail", "hub")


@pytest.fixture
def arrow():
    return placed_at(job_of(ARROW), {nth_spot(job_of(ARROW), 0, 0): (110.0, 110.0)})


def run():
    return StageRun(Crew(1), StageCache())


def spread(job):
    """Give every copy a place of its own."""
    return placed_at(job, {spot: (110.0, 20.0 + 40.0 * n) for n, spot in enumerate(spots_of(job))})


def joined(job, numbers):
    """Join some parts of a job, all of them of the arrow or not."""
    parts = [nth_part(job, number) for number in numbers]
    return joined_again(job, parts, dict.fromkeys(parts, ("wind arrow", 4)))


def test_split_off_and_joined_again_is_the_same_part(arrow):
    split, new = split_off(arrow, nth_part(arrow), (1, 3), NAMES)
    assert [part.bodies for part in split.parts] == [(0, 2), (1,), (3,)]
    assert [part.name for part in split.parts] == ["wind arrow", "point", "hub"]
    assert new == [nth_spot(split, 1), nth_spot(split, 2)]
    assert split.parts[1].copies[0].at is None
    whole, spot = joined(split, (2, 0, 1))
    assert whole.parts == arrow.parts
    assert spot == nth_spot(arrow)


def test_some_joined_are_not_yet_the_whole(arrow):
    split, _ = split_off(arrow, nth_part(arrow), (1, 2, 3), NAMES)
    whole, _ = joined(split, (1, 3))
    assert [part.bodies for part in whole.parts] == [(0,), (1, 3), (2,)]
    assert whole.parts[1].name == "wind arrow"
    assert whole.parts[0].name == "shaft"


def test_every_copy_leaves_its_body_behind(arrow):
    split, _ = split_off(with_copies(arrow, nth_part(arrow), 3), nth_part(arrow), (2,), NAMES)
    assert [len(part.copies) for part in split.parts] == [3, 3]


def test_strangers_and_twins_are_not_joined(arrow, tmp_path):
    strange = job_of(write_stl(tmp_path / "block.stl", box()))
    both = arrow.model_copy(update={"parts": (*arrow.parts, *strange.parts, *arrow.parts)})
    with pytest.raises(JobError, match="not bodies of one assembly"):
        joined(both, (0, 1))
    with pytest.raises(JobError, match="body in common"):
        joined(both, (0, 2))


def test_bodies_together_are_the_whole(arrow):
    split, _ = split_off(arrow, nth_part(arrow), (1, 2, 3), NAMES)
    (whole,) = read_model(ARROW)
    volumes = [measure(whole.only(part.bodies).merged()).volume for part in split.parts]
    assert sum(volumes) == pytest.approx(measure(whole.merged()).volume)
    assert bodies_of(arrow.parts[0], NAMES) == (0, 1, 2, 3)


def test_a_job_with_split_bodies_comes_back_and_prints_the_same(arrow, tmp_path):
    split, _ = split_off(arrow, nth_part(arrow), (1, 3), NAMES)
    split = spread(with_bodies_hidden(split, nth_part(split), (2,), hidden=True))
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(split, models_of(split, run())))
    back = read_job_file(saved)
    assert [part.bodies for part in back.parts] == [(0, 2), (1,), (3,)]
    assert [part.hidden_bodies for part in back.parts] == [(2,), (), ()]
    first, again = slice_again(tmp_path, split), slice_again(tmp_path, back)
    assert first.gcode.read_bytes() == again.gcode.read_bytes()
    whole, _ = joined(back, (0, 1, 2))
    assert whole.parts[0].bodies == ()
    (whole,) = {id(model): model for model in models_of(back, run())}.values()
    assert [body.name for body in whole.bodies] == list(NAMES)
    assert [model.name for model in read_model(saved)] == ["wind arrow"]


def test_parts_of_one_model_are_saved_with_its_mesh_once(arrow):
    one = job_file(arrow, models_of(arrow, run()))
    twice = arrow.model_copy(update={"parts": arrow.parts * 2})
    assert len(job_file(twice, models_of(twice, run()))) < 1.2 * len(one)


def test_a_body_the_file_does_not_have_is_told(arrow):
    wrong = with_part(arrow, nth_part(arrow), bodies=(7,))
    with pytest.raises(JobError, match="has 4 bodies, the job names body 8"):
        slice_again(ARROW.parent, wrong)


def test_repair_survives_saving(tmp_path):
    knob = job_of(DATA / "demo" / "torn_knob.stl")
    for repair in ("none", "winding", "all"):
        job = placed_at(with_part(knob, nth_part(knob), repair=repair), {nth_spot(knob): (60.0, 60.0)})
        saved = tmp_path / f"{repair}.3mf"
        saved.write_bytes(job_file(job, models_of(job, run())))
        back = read_job_file(saved)
        assert back.parts[0].repair == repair
        first, again = slice_again(tmp_path, job), slice_again(tmp_path, back)
        assert first.gcode.read_bytes() == again.gcode.read_bytes()


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.sets(st.integers(0, 3), min_size=1, max_size=3), max_size=4), st.randoms(use_true_random=False))
def test_however_it_is_taken_apart_nothing_is_lost_and_it_goes_together_again(arrow, cuts, chance):
    job = arrow
    for cut in cuts:
        number = chance.randrange(len(job.parts))
        own = bodies_of(job.parts[number], NAMES)
        bodies = sorted(cut & set(own))
        if 0 < len(bodies) < len(own):
            job, _ = split_off(job, nth_part(job, number), bodies, NAMES)
    held = [body for part in job.parts for body in bodies_of(part, NAMES)]
    assert sorted(held) == [0, 1, 2, 3]
    if len(job.parts) > 1:
        numbers = list(range(len(job.parts)))
        chance.shuffle(numbers)
        job, spot = joined(job, numbers)
        assert spot == nth_spot(arrow)
    assert job.parts == arrow.parts
