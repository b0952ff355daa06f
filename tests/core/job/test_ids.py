"""Every bed, part and copy has an id of its own, whatever is done to the job."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.errors import InputError
from even_step.core.job import edits
from even_step.core.job.beds import number_of_bed, on_bed, put_on_bed, without_empty_beds
from even_step.core.job.bodies import split_off
from even_step.core.job.model import Part
from even_step.core.job.text import job_text, read_job_text
from tests.core.job.test_edits import job_with


def ids_of(job):
    return [*job.beds, *(part.id for part in job.parts), *(copy.id for part in job.parts for copy in part.copies)]


def test_ids_are_given_in_the_jobs_order_and_alike_each_time():
    job = job_with(2, 1)
    assert ids_of(job) == ["b1", "p2", "p5", "c3", "c4", "c6"]
    assert job_with(2, 1) == job
    assert job.ids_given == 6


def test_an_edit_keeps_ids_and_none_is_given_twice():
    job = job_with(2, 1)
    less = edits.removed(job, [(0, 1), (1, 0)])
    more, spots = edits.copied(less, [(0, 0)])
    assert ids_of(edits.moved(job, [(0, 1)], (3.0, 0.0))) == ids_of(job)
    assert [copy.id for copy in more.parts[0].copies] == ["c3", "c7"], "c4 and c6 were another's"
    assert spots == [(0, 1)]


def test_what_is_cut_loose_or_split_off_is_a_new_part():
    job = job_with(3)
    loose, _ = edits.cut_loose(job, [(0, 1)])
    assert [(part.id, [copy.id for copy in part.copies]) for part in loose.parts] == [
        ("p2", ["c3", "c5"]),
        ("p6", ["c4"]),
    ], "the copy stays itself"
    split, _ = split_off(job, 0, [1], ["lid", "box"])
    assert [part.id for part in split.parts] == ["p2", "p6"]
    assert len(set(ids_of(split))) == len(ids_of(split))


STEPS = {
    "copy": lambda job, n: edits.copied(job, [spot_of(job, n)])[0],
    "remove": lambda job, n: edits.removed(job, [spot_of(job, n)]),
    "loose": lambda job, n: edits.cut_loose(job, [spot_of(job, n)])[0],
    "count": lambda job, n: edits.with_copies(job, spot_of(job, n)[0], 1 + n % 4),
    "bed": lambda job, n: without_empty_beds(put_on_bed(job, [spot_of(job, n)], n % 3)),
    "add": lambda job, n: edits.added(job, [Part(name=f"new {n}")]),
}


def spot_of(job, number):
    spots = edits.spots_of(job)
    return spots[number % len(spots)]


@settings(deadline=None)  # the first example loads what laying out needs
@given(st.lists(st.tuples(st.sampled_from(sorted(STEPS)), st.integers(0, 30)), max_size=12))
def test_ids_stay_apart_whatever_is_done(steps):
    job, ever = job_with(2, 1), {}
    for name, number in steps:
        if edits.spots_of(job) or name == "add":
            before = set(ids_of(job))
            job = STEPS[name](job, number)
            ids = ids_of(job)
            assert len(set(ids)) == len(ids)
            fresh = set(ids) - before
            assert not fresh & ever.keys(), "given to something else before"
            ever |= dict.fromkeys(before | set(ids))


def test_a_bed_is_known_by_its_id_when_one_before_it_goes():
    job = put_on_bed(job_with(2, 1), [(1, 0)], 1)
    first, second = job.beds
    left = without_empty_beds(edits.removed(job, [(0, 0), (0, 1)]))
    assert left.beds == (second,)
    assert (number_of_bed(left, second), number_of_bed(left, first)) == (0, None)


def test_what_is_elsewhere_makes_no_difference_to_a_bed():
    job = job_with(2, 1)
    busy = edits.removed(edits.added(job, [Part(name="late")]), [(2, 0)])
    assert busy != job
    assert on_bed(busy, 0) == on_bed(job, 0)


def test_a_job_from_before_there_were_ids_opens(tmp_path):
    path = tmp_path / "old.toml"
    path.write_text('[[parts]]\nname = "cap"\nfile = "cap.stl"\ncopies = 2\n')
    job = read_job_text(path)
    assert ids_of(job) == ["b1", "p2", "c3", "c4"]
    path.write_text(job_text(job))
    assert read_job_text(path) == job


def test_own_ids_stay_and_given_ones_make_way(tmp_path):
    path = tmp_path / "own.toml"
    path.write_text('[[parts]]\nname = "lid"\nfile = "a.stl"\n[[parts]]\nid = "p3"\nname = "cap"\nfile = "cap.stl"\n')
    assert [part.id for part in read_job_text(path).parts] == ["p5", "p3"]


@pytest.mark.parametrize(
    ("ids", "told"), [(("cap", "cap"), "two have the id cap"), (("cap", "a b"), "parts.1.id"), (("cap", ""), "")]
)
def test_ids_that_cannot_be_are_told(tmp_path, ids, told):
    path = tmp_path / "job.toml"
    path.write_text("".join(f'[[parts]]\nid = {json.dumps(one)}\nname = "a"\nfile = "a.stl"\n' for one in ids))
    if told:
        with pytest.raises(InputError, match=told):
            read_job_text(path)
    else:
        assert read_job_text(path).parts[0].id == "cap"
