"""What does not fit on one bed goes to further ones, each sliced alone."""

from __future__ import annotations

import lib3mf
import numpy as np
import pytest

from even_step.core.errors import JobError
from even_step.core.job.arrange import over_beds
from even_step.core.job.beds import bed_count, on_bed, put_on_bed, spots_on, with_bed_as, without_empty_beds
from even_step.core.job.edits import laid_at, removed, with_mark
from even_step.core.job.file import job_file, read_job_file
from even_step.core.job.spots import copy_at, spots_of
from even_step.core.layout.shadow import box_shadow
from even_step.core.mesh.read.model import read_model
from even_step.core.stages import StageCache, StageRun
from even_step.core.standing import models_of, settled
from even_step.core.work import Crew
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again
from tests.spots import nth_spot


@pytest.fixture
def blocks(tmp_path):
    """Twelve blocks of 80 × 60 × 10 mm, of which six fit on the bed of 220 × 220 mm."""
    return job_of(write_stl(tmp_path / "block.stl", box(80, 60, 10)), copies=12)


def run():
    return StageRun(Crew(1), StageCache())


def apart(job, bed, size, spacing):
    """Whether all copies on a bed lie on it, no two closer than the spacing."""
    at = np.array([copy_at(job, spot).at for spot in spots_on(job, bed)])
    low, high = at - np.array(size) / 2, at + np.array(size) / 2
    if (low < -1e-6).any() or (high > 220 + 1e-6).any():
        return False
    gap = np.maximum(low[:, None] - high[None], low[None] - high[:, None]).max(axis=2)
    return (gap[~np.eye(len(at), dtype=bool)] >= spacing - 1e-3).all()


def test_what_finds_no_room_goes_to_the_next_bed(blocks):
    job = settled(blocks, run())
    counts = [len(spots_on(job, bed)) for bed in range(bed_count(job))]
    assert sum(counts) == 12
    assert counts == sorted(counts, reverse=True)
    assert len(counts) == 2
    assert all(apart(job, bed, (80, 60), 6.0) for bed in range(2))


def test_what_no_bed_can_hold_stands_beside_its_own(blocks):
    outlines = dict.fromkeys(spots_of(blocks), box_shadow(80, 60)) | {nth_spot(blocks, 0, 3): box_shadow(400, 20)}
    job = over_beds(blocks, outlines)
    assert copy_at(job, nth_spot(job, 0, 3)).bed == 0
    assert bed_count(job) == 2
    assert all(copy_at(job, spot).at is not None for spot in spots_of(job))


def test_what_stands_already_stays(blocks):
    first = laid_at(blocks, {nth_spot(blocks): ((110.0, 110.0), 0.0)})
    job = settled(first, run())
    assert copy_at(job, nth_spot(job)) == copy_at(first, nth_spot(first))


def test_a_bed_alone_is_a_job_of_its_own(blocks, tmp_path):
    job = settled(blocks, run())
    with pytest.raises(JobError, match="has 2 beds"):
        slice_again(tmp_path, job)
    alone = on_bed(job, 1)
    assert bed_count(alone) == 1
    assert len(spots_of(alone)) == len(spots_on(job, 1))
    done = slice_again(tmp_path, alone)
    assert len(done.sliced.placed) == len(spots_of(alone))
    assert on_bed(alone, 0) is alone


def test_parts_that_are_not_on_the_bed_are_left_out(blocks, tmp_path):
    other = job_of(write_stl(tmp_path / "other.stl", box()))
    both = blocks.model_copy(update={"parts": (*other.parts, *blocks.parts)})
    both = with_mark(both, [nth_spot(both)], bed=1)
    assert [part.name for part in on_bed(both, 0).parts] == ["block"]
    assert [part.name for part in on_bed(both, 1).parts] == ["other"]


def test_empty_beds_go(blocks):
    job = with_mark(with_mark(blocks, [nth_spot(blocks, 0, 1)], bed=2), [nth_spot(blocks, 0, 2)], bed=4)
    assert [copy.bed for copy in without_empty_beds(job).parts[0].copies[:3]] == [0, 1, 2]
    left = without_empty_beds(removed(job, spots_on(job, 0)))
    assert [copy.bed for copy in left.parts[0].copies] == [0, 1]
    assert without_empty_beds(blocks) is blocks


def test_a_part_put_on_another_bed_needs_a_place_there(blocks):
    job = put_on_bed(settled(blocks, run()), [nth_spot(blocks)], 3)
    assert (copy_at(job, nth_spot(job)).bed, copy_at(job, nth_spot(job)).at) == (3, None)
    with pytest.raises(JobError, match="cannot have a bed 51"):
        put_on_bed(job, [nth_spot(job)], 50)


def test_beds_come_back_and_stand_side_by_side_for_other_readers(blocks, tmp_path):
    job = settled(blocks, run())
    saved = tmp_path / "saved.3mf"
    saved.write_bytes(job_file(job, models_of(job, run())))
    back = read_job_file(saved)
    assert [copy.bed for copy in back.parts[0].copies] == [copy.bed for copy in job.parts[0].copies]
    assert read_model(saved)[0].name == "block"
    model = lib3mf.get_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromFile(str(saved))
    items, shifts = model.GetBuildItems(), []
    while items.MoveNext():
        shifts.append(items.GetCurrent().GetObjectTransform().Fields[3][0])
    assert sum(shift > 220 for shift in shifts) == len(spots_on(job, 1))


def test_a_bed_is_as_it_was_and_the_others_keep_their_copies(blocks):
    job = settled(blocks, run())
    assert bed_count(job) == 2
    then = on_bed(job, 1)
    assert with_bed_as(job, 1, then) == job
    spots = spots_on(job, 1)
    later = removed(job, spots[:2])
    later = laid_at(later, {spots_on(later, 1)[0]: ((91.0, 90.0), 0.0)})
    later = with_mark(later, [spots_on(later, 0)[0]], locked=True).with_settings({"infill.density": 55.0})
    again = with_bed_as(later, 1, then)
    assert on_bed(again, 1) == then
    assert spots_on(again, 0) == spots_on(later, 0)
    assert [copy_at(again, spot) for spot in spots_on(again, 0)] == [
        copy_at(later, spot) for spot in spots_on(later, 0)
    ]
    assert again.settings == job.settings, "all beds share them"
    assert (again.beds, again.ids_given) == (later.beds, later.ids_given)


def test_a_part_that_is_gone_comes_back_with_its_bed(blocks, tmp_path):
    job = settled(blocks, run())
    then = on_bed(job, 1)
    gone = removed(job, spots_on(job, 1))
    again = with_bed_as(gone, 1, then)
    assert on_bed(again, 1) == then
    assert spots_on(again, 0) == spots_on(job, 0)
    nothing = with_bed_as(job.model_copy(update={"parts": ()}), 1, then)
    assert [copy.bed for part in nothing.parts for copy in part.copies] == [1] * len(spots_on(job, 1))


def test_a_copy_that_went_to_another_bed_since_comes_back_from_there(blocks):
    job = settled(blocks, run())
    then, moved = on_bed(job, 1), spots_on(job, 1)[0]
    again = with_bed_as(with_mark(job, [moved], bed=0, at=(110.0, 110.0)), 1, then)
    assert on_bed(again, 1) == then
    assert moved not in spots_on(again, 0)
    assert len(spots_of(again)) == len(spots_of(job))
