"""Aligning, distributing, mirroring, fitting, locking, cutting loose."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_step.core.job import edits
from even_step.core.job.arrange import filled
from even_step.core.job.bring_in import laid_flat, pose_matrix
from even_step.core.job.edits import aligned, distributed
from even_step.core.job.locks import disturbed
from even_step.core.job.model import Copy, Job, Machine, Material, Part, Recipe
from even_step.core.job.room import fitting_factor
from even_step.core.job.shipped import find
from even_step.core.job.spots import copy_at, spots_of
from even_step.core.layout.shadow import box_shadow
from even_step.core.mesh.measure import measure
from even_step.core.mesh.pose import set_down
from tests.conftest import mended
from tests.shapes import box
from tests.spots import nth_part, nth_spot

ANGLES = st.floats(-180, 180).map(lambda value: round(value, 3))


def job_of(*parts, machine="Larch 220"):
    return Job(
        machine=find(Machine, machine), materials=(find(Material, "PLA"),), recipe=find(Recipe, "Even"), parts=parts
    )


def three():
    places = ((20.0, 30.0), (60.0, 90.0), (150.0, 50.0))
    return job_of(*(Part(name=f"part {i}", copies=(Copy(at=at),)) for i, at in enumerate(places)))


SPOTS = spots_of(three())
SIZES = dict(zip(SPOTS, ((10.0, 20.0), (30.0, 10.0), (20.0, 40.0)), strict=True))


@pytest.mark.parametrize(("side", "share"), [("least", -0.5), ("middle", 0.0), ("most", 0.5)])
@pytest.mark.parametrize("axis", [0, 1])
def test_aligned_copies_share_a_line_with_the_one_in_hand(axis, side, share):
    done = aligned(three(), SPOTS, SIZES, axis, side)
    lines = [copy_at(done, spot).at[axis] + share * SIZES[spot][axis] for spot in SPOTS]
    assert lines == pytest.approx([lines[-1]] * 3)
    assert copy_at(done, SPOTS[-1]) == copy_at(three(), SPOTS[-1])
    assert [copy_at(done, s).at[1 - axis] for s in SPOTS] == [copy_at(three(), s).at[1 - axis] for s in SPOTS]


@pytest.mark.parametrize("axis", [0, 1])
def test_distributed_copies_leave_equal_gaps_and_the_outermost_stay(axis):
    done = distributed(three(), SPOTS, SIZES, axis)
    order = sorted(SPOTS, key=lambda spot: copy_at(done, spot).at[axis])
    ends = [
        (copy_at(done, s).at[axis] - SIZES[s][axis] / 2, copy_at(done, s).at[axis] + SIZES[s][axis] / 2) for s in order
    ]
    gaps = [ends[i + 1][0] - ends[i][1] for i in range(2)]
    assert gaps[0] == pytest.approx(gaps[1], abs=2e-3)
    for spot in (order[0], order[-1]):
        assert copy_at(done, spot) == copy_at(three(), spot)


@given(st.tuples(ANGLES, ANGLES, ANGLES), ANGLES, st.integers(0, 2))
def test_a_mirror_shows_the_part_as_a_looking_glass_on_the_bed_would(turn, about_z, axis):
    job = job_of(Part(name="a", turn=turn, scale=(1.0, 2.0, 0.5), copies=(Copy(at=(0.0, 0.0), turn=about_z),)))
    done = edits.mirrored(job, [nth_part(job)], axis)
    before = pose_matrix(job.parts[0], job.parts[0].copies[0])
    after = pose_matrix(done.parts[0], done.parts[0].copies[0])
    flip = np.eye(3)
    flip[axis, axis] = -1
    # Sizes are scaled along the file's axes, so what is mirrored there is a mirrored scale too.
    assert after == pytest.approx(flip @ before, abs=1e-6)
    back = edits.mirrored(done, [nth_part(done)], axis)
    assert pose_matrix(back.parts[0], back.parts[0].copies[0]) == pytest.approx(before, abs=1e-6)


def test_a_mirrored_mesh_still_looks_outward():
    mesh = mended(box(20, 10, 5))
    part = Part(name="a", mirrored=(True, False, False))
    posed, _ = set_down(mesh, pose_matrix(part, Copy()))
    assert measure(posed).volume == pytest.approx(1000)


def test_a_part_that_fits_the_bed_just_fits():
    job = three()
    assert fitting_factor((110.0, 55.0, 10.0), job) == pytest.approx(2.0)
    assert fitting_factor((11.0, 5.5, 500.0), job) == pytest.approx(np.floor(job.machine.height / 500 * 1000) / 1000)
    round_bed = job_of(machine="Rowan 240 round")
    assert fitting_factor((30.0, 40.0, 1.0), round_bed) * 50 <= 240


def test_what_is_locked_is_missed_when_it_moves_turns_grows_or_goes():
    job = edits.with_mark(three(), [nth_spot(three(), 1)], locked=True)
    assert disturbed(job, job) == ""
    assert disturbed(job, edits.moved(job, [nth_spot(job), nth_spot(job, 2)], (5.0, 5.0))) == ""
    assert disturbed(job, edits.with_mark(job, [nth_spot(job, 1)], hidden=True)) == ""
    for changed in (
        edits.moved(job, SPOTS, (1.0, 0.0)),
        edits.turned(job, [nth_spot(job, 1)], 2, 15.0),
        edits.turned(job, [nth_spot(job, 1)], 0, 90.0),
        edits.sized(job, nth_part(job, 1), (2.0, 2.0, 2.0)),
        edits.mirrored(job, [nth_part(job, 1)], 0),
        edits.removed(job, [nth_spot(job, 1)]),
    ):
        assert disturbed(job, changed) == "part 1"
    assert edits.without_places(job).parts[1].copies[0].at == (60.0, 90.0)
    assert disturbed(job, edits.removed(job, [nth_spot(job)])) == ""


def test_copies_cut_loose_keep_their_places_and_follow_no_more():
    copies = tuple(Copy(at=(20.0 * k, 0.0), turn=10.0 * k) for k in range(3))
    before = job_of(Part(name="a", copies=copies))
    job, new = edits.cut_loose(before, [nth_spot(before, 0, 1)])
    assert [len(part.copies) for part in job.parts] == [2, 1]
    assert new == [nth_spot(job, 1)]
    assert job.parts[1].copies == before.parts[0].copies[1:2]
    larger = edits.sized(job, nth_part(job), (2.0, 2.0, 2.0))
    assert larger.parts[1].scale == (1.0, 1.0, 1.0)
    every, new = edits.cut_loose(before, [nth_spot(before), nth_spot(before, 0, 1), nth_spot(before, 0, 2)])
    assert [part.copies for part in every.parts] == [(copy,) for copy in before.parts[0].copies]
    assert len(new) == 2


def test_filling_the_bed_adds_as_many_as_there_is_room_for():
    job = job_of(Part(name="a", copies=(Copy(at=(110.0, 110.0)),)))
    outline = box_shadow(60, 60)
    done = filled(job, {nth_spot(job): outline}, nth_spot(job), 100)
    # Three by three of 60 mm, 6 mm apart, take 192 mm of the 220.
    assert len(done.parts[0].copies) == 9
    assert filled(done, dict.fromkeys(spots_of(done), outline), nth_spot(done), 100) == done


def test_lying_flat_and_standing_on_end():
    mesh = mended(box(5, 20, 30))
    for on_end, tall in ((False, 5), (True, 30)):
        part = laid_flat(Part(name="a"), mesh, on_end=on_end)
        posed, _ = set_down(mesh, pose_matrix(part, Copy()))
        assert posed.bounds[1, 2] == pytest.approx(tall, abs=1e-6)
