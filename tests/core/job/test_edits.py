from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_step.core.errors import JobError, SettingError
from even_step.core.job import edits
from even_step.core.job.arrange import with_places
from even_step.core.job.bring_in import pose_matrix
from even_step.core.job.differences import differences
from even_step.core.job.model import Copy, Job, Machine, Material, Part, Recipe
from even_step.core.job.shipped import find
from even_step.core.job.spots import spots_of
from even_step.core.layout.shadow import box_shadow
from even_step.core.mesh.turning import turn_matrix
from tests.spots import nth_part, nth_spot


def job_with(*counts, machine="Larch 220"):
    parts = tuple(
        Part(name=f"part {i}", copies=tuple(Copy(at=(20.0 * k, 30.0 * i)) for k in range(count)))
        for i, count in enumerate(counts)
    )
    return Job(
        machine=find(Machine, machine), materials=(find(Material, "PLA"),), recipe=find(Recipe, "Even"), parts=parts
    )


def test_moving_touches_only_the_chosen_copy_and_shares_the_rest():
    job = job_with(2, 1)
    done = edits.moved(job, [nth_spot(job, 0, 1)], (1.5, -2.0))
    assert [copy.at for copy in done.parts[0].copies] == [(0.0, 0.0), (21.5, -2.0)]
    assert done.parts[1] is job.parts[1]


def test_turning_about_z_turns_copies_and_about_x_the_whole_part():
    job = job_with(2)
    about_z = edits.turned(job, [nth_spot(job, 0, 1)], 2, 270.0)
    assert [copy.turn for copy in about_z.parts[0].copies] == [0.0, -90.0]
    about_x = edits.turned(job, [nth_spot(job)], 0, 90.0)
    assert about_x.parts[0].turn == (90.0, 0.0, 0.0)


@given(st.integers(0, 2), st.floats(-180, 180), st.floats(-180, 180), st.floats(-80, 80))
def test_a_turn_about_an_axis_of_the_bed_is_that_rotation(axis, degrees, own, lean):
    job = job_with(1)
    job = edits.with_part(job, nth_part(job), turn=(own, lean, 10.0), copies=(Copy(at=(0.0, 0.0), turn=own),))
    before = pose_matrix(job.parts[0], job.parts[0].copies[0])
    done = edits.turned(job, [nth_spot(job)], axis, degrees)
    after = pose_matrix(done.parts[0], done.parts[0].copies[0])
    angles = [0.0, 0.0, 0.0]
    angles[axis] = degrees
    assert after == pytest.approx(turn_matrix(tuple(angles)) @ before, abs=1e-6)


def test_four_quarter_turns_come_back_to_the_same_numbers():
    job = edits.with_part(job_with(1), nth_part(job_with(1)), turn=(90.0, 0.0, 90.0))
    done = job
    for _ in range(4):
        done = edits.turned(done, [nth_spot(done)], 1, 90.0)
    assert turn_matrix(done.parts[0].turn) == pytest.approx(turn_matrix(job.parts[0].turn), abs=1e-9)


@pytest.mark.parametrize("scale", [(0.0, 1.0, 1.0), (1.0, -1.0, 1.0), (1e9, 1.0, 1.0), (float("nan"), 1.0, 1.0)])
def test_a_size_that_is_none_is_refused(scale):
    with pytest.raises(JobError, match="is no size"):
        edits.sized(job_with(1), nth_part(job_with(1)), scale)


def test_copies_come_without_a_place_and_go_from_the_end():
    job = job_with(2)
    more = edits.with_copies(job, nth_part(job), 4)
    assert [copy.at for copy in more.parts[0].copies] == [(0.0, 0.0), (20.0, 0.0), None, None]
    assert edits.with_copies(job, nth_part(job), 1).parts[0].copies == job.parts[0].copies[:1]
    with pytest.raises(JobError, match="1 to 1000"):
        edits.with_copies(job, nth_part(job), 0)
    doubled, new = edits.copied(job, [nth_spot(job)])
    assert new == [nth_spot(doubled, 0, 2)]
    assert len(doubled.parts[0].copies) == 3


def test_removing_the_last_copy_removes_the_part():
    job = job_with(2, 1)
    assert edits.removed(job, [nth_spot(job, 1)]).parts == job.parts[:1]
    assert len(edits.removed(job, [nth_spot(job)]).parts[0].copies) == 1
    assert edits.removed(job, spots_of(job)).parts == ()


def test_settings_change_and_go_back_and_wrong_ones_are_refused():
    job = edits.with_setting(job_with(1), "infill.density", 30)
    assert job.settings == {"infill.density": 30.0}
    assert edits.without_settings(job, ["infill.density"]).settings == {}
    with pytest.raises(SettingError, match="0 to 100"):
        edits.with_setting(job, "infill.density", 300)


def test_another_machine_keeps_parts_about_the_middle_of_the_bed():
    job = job_with(1)
    round_bed = find(Machine, "Rowan 240 round")
    moved = edits.on_machine(job, round_bed)
    before = np.subtract(job.parts[0].copies[0].at, job.machine.bed.centre)
    after = np.subtract(moved.parts[0].copies[0].at, round_bed.bed.centre)
    assert after == pytest.approx(before)


def test_a_second_extruder_takes_a_material_and_an_absent_one_refuses():
    job = job_with(1, machine="Alder 300 twin")
    petg = find(Material, "PETG")
    both = edits.with_material(job, 1, petg)
    assert [material.name for material in both.materials] == ["PLA", "PETG"]
    assert len(edits.with_material(both, 1, None).materials) == 1
    assert edits.on_machine(both, find(Machine, "Larch 220")).materials == job.materials
    with pytest.raises(JobError, match="no extruder 2"):
        edits.with_material(job_with(1), 1, petg)


def test_only_copies_without_a_place_get_one_clear_of_the_others():
    job = edits.with_copies(job_with(1), nth_part(job_with(1)), 5)
    placed = with_places(job, dict.fromkeys(spots_of(job), box_shadow(30.0, 20.0)))
    at = np.array([copy.at for copy in placed.parts[0].copies])
    assert tuple(at[0]) == (0.0, 0.0)
    apart = np.abs(at[:, None] - at[None]) >= (30.0 - 1e-9, 20.0 - 1e-9)
    assert (apart.any(axis=2) | np.eye(5, dtype=bool)).all()
    assert all(copy.at is None for copy in edits.without_places(placed).parts[0].copies)


def test_differences_say_what_changed_in_a_few_words():
    job = job_with(2)
    assert differences(job, job) == []
    assert differences(job, edits.with_setting(job, "infill.density", 10)) == ["infill density 15 → 10 %"]
    assert differences(job, edits.moved(job, [nth_spot(job)], (1, 0))) == ["moved"]
    assert differences(job, edits.turned(job, [nth_spot(job)], 2, 5)) == ["turned"]
    assert differences(job, edits.sized(job, nth_part(job), (2.0, 2.0, 2.0))) == ["sized"]
    assert differences(job, edits.mirrored(job, [nth_part(job)], 0)) == ["mirrored"]
    assert differences(job, edits.with_part(job, nth_part(job), name="another")) == ["renamed"]
    assert differences(job, edits.with_part(job, nth_part(job), repair="all")) == ["repaired"]
    assert differences(job, edits.with_part(job, nth_part(job), repair="none")) == ["repair undone"]
    assert differences(job, edits.with_part(job, nth_part(job), bodies=(0,))) == ["other bodies"]
    assert differences(job, edits.with_part(job, nth_part(job), file="another.stl")) == ["other parts"]
    assert differences(job, edits.with_copies(job, nth_part(job), 1)) == ["1 part fewer"]
    assert differences(job, edits.with_recipe(job, find(Recipe, "Fine"))) == ["recipe Fine"]
    assert differences(job, edits.on_machine(job, find(Machine, "Alder 300 twin")))[0] == "on Alder 300 twin"
