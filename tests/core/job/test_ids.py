"""Every bed, part and copy has an id of its own, whatever is done to the job."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.errors import InputError
from even_step.core.job import edits
from even_step.core.job.beds import number_of_bed, on_bed, put_on_bed, without_empty_beds
from even_step.core.job.by_hand import Mark, Post
from even_step.core.job.edits import split_off
from even_step.core.job.model import Part
from even_step.core.job.spots import spots_of
from even_step.core.job.text import job_text, read_job_text
from tests.core.job.test_edits import job_with
from tests.spots import nth_part, nth_spot


def ids_of(job):
    return [*job.beds, *(part.id for part in job.parts), *(copy.id for part in job.parts for copy in part.copies)]


def test_ids_are_given_in_the_jobs_order_and_alike_each_time():
    job = job_with(2, 1)
    assert ids_of(job) == ["b1", "p2", "p5", "c3", "c4", "c6"]
    assert job_with(2, 1) == job
    assert job.ids_given == 6


def test_posts_and_marks_have_ids_of_their_own():
    job = job_with(1)
    part = job.parts[0].id
    post, mark = Post(at=(0.0, 0.0, 1.0)), Mark(kind="hold", facets=(1,))
    job = edits.with_part(edits.with_post(job, part, post), part, marks=(mark, mark))
    assert [one.id for one in (*job.parts[0].posts, *job.parts[0].marks)] == ["h4", "h5", "h6"]
    job = edits.with_post(edits.without_hand(job, part), part, post)
    assert [one.id for one in job.parts[0].posts] == ["h7"], "h4 was another's"
    twice = job.model_copy(update={"parts": (*job.parts, job.parts[0])})
    assert twice.parts[1].posts[0].id == "h10"


def test_an_edit_keeps_ids_and_none_is_given_twice():
    job = job_with(2, 1)
    less = edits.removed(job, [nth_spot(job, 0, 1), nth_spot(job, 1)])
    more, spots = edits.copied(less, [nth_spot(less)])
    assert ids_of(edits.moved(job, [nth_spot(job, 0, 1)], (3.0, 0.0))) == ids_of(job)
    assert [copy.id for copy in more.parts[0].copies] == ["c3", "c7"], "c4 and c6 were another's"
    assert spots == [nth_spot(more, 0, 1)]


def test_what_is_cut_loose_or_split_off_is_a_new_part():
    job = job_with(3)
    loose, _ = edits.cut_loose(job, [nth_spot(job, 0, 1)])
    assert [(part.id, [copy.id for copy in part.copies]) for part in loose.parts] == [
        ("p2", ["c3", "c5"]),
        ("p6", ["c4"]),
    ], "the copy stays itself"
    split, _ = split_off(job, nth_part(job), [1], ["lid", "box"])
    assert [part.id for part in split.parts] == ["p2", "p6"]
    assert len(set(ids_of(split))) == len(ids_of(split))


def test_parts_of_another_job_take_no_id_that_was_given_here():
    other = job_with(2)
    here = edits.removed(job_with(2, 1), [nth_spot(job_with(2, 1))])
    both = edits.added(here, other.parts)
    assert [part.id for part in both.parts] == ["p2", "p5", "p7"]
    assert [copy.id for copy in both.parts[2].copies] == ["c8", "c9"], "c3 is gone here, and stays so"


STEPS = {
    "copy": lambda job, n: edits.copied(job, [spot_of(job, n)])[0],
    "remove": lambda job, n: edits.removed(job, [spot_of(job, n)]),
    "loose": lambda job, n: edits.cut_loose(job, [spot_of(job, n)])[0],
    "count": lambda job, n: edits.with_copies(job, spot_of(job, n).part, 1 + n % 4),
    "bed": lambda job, n: without_empty_beds(put_on_bed(job, [spot_of(job, n)], n % 3)),
    "add": lambda job, n: edits.added(job, [Part(name=f"new {n}")]),
}


def spot_of(job, number):
    spots = spots_of(job)
    return spots[number % len(spots)]


@settings(deadline=None)  # the first example loads what laying out needs
@given(st.lists(st.tuples(st.sampled_from(sorted(STEPS)), st.integers(0, 30)), max_size=12))
def test_ids_stay_apart_whatever_is_done(steps):
    job, ever = job_with(2, 1), {}
    for name, number in steps:
        if spots_of(job) or name == "add":
            before = set(ids_of(job))
            job = STEPS[name](job, number)
            ids = ids_of(job)
            assert len(set(ids)) == len(ids)
            fresh = set(ids) - before
            assert not fresh & ever.keys(), "given to something else before"
            ever |= dict.fromkeys(before | set(ids))


def test_a_bed_is_known_by_its_id_when_one_before_it_goes():
    job = put_on_bed(job_with(2, 1), [nth_spot(job_with(2, 1), 1)], 1)
    first, second = job.beds
    left = without_empty_beds(edits.removed(job, [nth_spot(job), nth_spot(job, 0, 1)]))
    assert left.beds == (second,)
    assert (number_of_bed(left, second), number_of_bed(left, first)) == (0, None)


def test_what_is_elsewhere_makes_no_difference_to_a_bed():
    job = job_with(2, 1)
    late = edits.added(job, [Part(name="late")])
    busy = edits.removed(late, [nth_spot(late, 2)])
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
