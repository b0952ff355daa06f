"""What one trial lays and another does not."""

from __future__ import annotations

import numpy as np

from even_step.core.toolpath.lines import lines_of
from even_step.core.toolpath.roles import ROLE_NUMBER
from even_step.core.trials.only_here import only_here
from tests.shapes import box
from tests.slicing_help import slice_it


def drawn(done):
    return lines_of(done.sliced.toolpath), len(done.sliced.toolpath.role)


def test_of_a_trial_and_itself_nothing_is_left_nor_of_lines_laid_the_other_way(tmp_path):
    lines, count = drawn(slice_it(tmp_path, box(20, 20, 3)))
    assert only_here(lines.points, lines.path, lines.points, count).sum() == 0
    there = np.array([[0, 0, 1, 0.4, 0.2, 0], [5, 0, 1, 0.0, 0.2, 0]], np.float32)
    back = np.array([[5, 0, 1, 0.4, 0.2, 0], [0, 0, 1, 0.0, 0.2, 0]], np.float32)
    path = np.zeros(2, np.int32)
    assert only_here(there, path, back, 1).tolist() == [0.0]
    wider = back.copy()
    wider[0, 3] = 0.5
    assert only_here(there, path, wider, 1).tolist() == [1.0]


def test_where_only_the_infill_differs_only_infill_is_marked(tmp_path):
    one, count = drawn(slice_it(tmp_path, box(30, 30, 4), {"infill.density": 17}))
    other, _ = drawn(slice_it(tmp_path, box(30, 30, 4), {"infill.density": 10}))
    marked = only_here(one.points, one.path, other.points, count) > 0
    roles = one.points[np.unique(one.path[: len(one.points)], return_index=True)[1], 5]
    assert marked.any()
    assert set(roles[marked].astype(int)) == {ROLE_NUMBER["infill"]}


def test_lines_that_all_are_among_twice_as_many_are_not_marked(tmp_path):
    few, count = drawn(slice_it(tmp_path, box(30, 30, 4), {"infill.density": 10}))
    many, more = drawn(slice_it(tmp_path, box(30, 30, 4), {"infill.density": 20}))
    assert only_here(few.points, few.path, many.points, count).sum() == 0
    assert only_here(many.points, many.path, few.points, more).sum() > 0


def test_a_moved_line_is_marked_in_both(tmp_path):
    one, count = drawn(slice_it(tmp_path, box(20, 20, 3), {"walls.count": 2}))
    other, many = drawn(slice_it(tmp_path, box(20, 20, 3), {"walls.count": 3}))
    assert only_here(one.points, one.path, other.points, count).any()
    assert only_here(other.points, other.path, one.points, many).any()
