from __future__ import annotations

import numpy as np
import pytest

from even_step.core.toolpath.lines import coarse_lines, lines_of, parted
from even_step.core.toolpath.roles import HIDDEN, OUTER_WALL, UPRIGHT
from even_step.core.toolpath.stacked import TALLEST, WIDEST, stacked
from tests.shapes import ball, box


def upright(path):
    return parted(coarse_lines(lines_of(path)), UPRIGHT)[0]


def spans_of(lines, part_of_path, number):
    """Bottom and top of what a part's lines stand for, each once, lowest first, mm."""
    own = (part_of_path[lines.path] == number) & (lines.points[:, 3] > 0)
    top, high = lines.points[own, 2].astype(float), lines.points[own, 4].astype(float)
    return np.unique(np.round(np.stack((top - high, top), axis=1), 4), axis=0)


def test_an_upright_wall_is_a_few_stacks_without_gaps(sliced):
    path = sliced(box(20, 20, 12), {"skirt.loops": 0}).sliced.toolpath
    lines = upright(path)
    found = stacked(lines, path)
    spans = spans_of(found.lines, path.part, 0)
    assert spans[0, 0] == pytest.approx(0.0, abs=1e-3)
    assert spans[-1, 1] == pytest.approx(12.0, abs=1e-3)
    assert spans[1:, 0] == pytest.approx(spans[:-1, 1], abs=1e-3)
    assert (np.diff(spans, axis=1) <= TALLEST + 1e-3).all()
    assert len(spans) == pytest.approx(12.0 / TALLEST, abs=1.5)
    assert found.lines.points[:, 3].max() == pytest.approx(lines.points[:, 3].max()), "nothing steps aside"


def test_parts_with_layers_of_their_own_heights_are_each_whole(sliced):
    """On the bed their layers take turns: every few layers of the bed would leave some of a part out."""
    path = sliced(ball(16.0, 4), {"layers.follow_surface": True, "skirt.loops": 0}, copies=1).sliced.toolpath
    spans = spans_of(stacked(upright(path), path).lines, path.part, 0)
    assert spans[0, 0] == pytest.approx(0.0, abs=1e-3)
    assert (spans[1:, 0] <= spans[:-1, 1] + 1e-3).all()


def test_what_steps_aside_is_wider_and_where_it_does_so_much_nothing_is_left_out(sliced):
    path = sliced(ball(24.0, 5), {"skirt.loops": 0}).sliced.toolpath
    lines = upright(path)
    found = stacked(lines, path)
    assert len(found.lines.points) < 0.6 * len(lines.points)
    laid = found.lines.points[found.lines.points[:, 3] > 0]
    plain = float(np.median(path.width[path.role == OUTER_WALL]))
    assert laid[:, 3].max() > 1.5 * plain
    assert laid[:, 3].max() <= (1 + WIDEST) * plain * 1.3
    near_top = laid[:, 2] > path.top[-1] - 1.0
    assert np.unique(laid[near_top, 2]).size >= 4, "the cap's layers step aside too far to be one"


def test_up_to_any_layer_stacks_and_what_they_do_not_stand_for_are_all(sliced):
    path = sliced(box(12, 12, 6), {"skirt.loops": 0}).sliced.toolpath
    lines = upright(path)
    found = stacked(lines, path)
    assert (found.since <= np.arange(len(found.since))).all()
    assert found.since[-1] == len(path.top)
    for last in (0, 3, 7, 11):
        points = found.lines.points[: found.lines.layer[last]]
        reached = float(points[:, 2].max(initial=0.0))
        rest = lines.points[lines.layer[found.since[last]] : lines.layer[last]]
        bottom = float((rest[:, 2] - rest[:, 4]).min(initial=path.top[last - 1] if last else 0.0))
        assert bottom <= reached + 1e-3


def test_lines_of_the_inside_and_no_lines_at_all_are_stacked_as_well(sliced):
    path = sliced(box(20, 20, 6)).sliced.toolpath
    inside = parted(coarse_lines(lines_of(path)), HIDDEN)[0]
    found = stacked(inside, path)
    assert 0 < len(found.lines.points) < 0.5 * len(inside.points)
    none = stacked(parted(inside, (99,))[0], path)
    assert len(none.lines.points) == 0
    assert (none.since == np.arange(len(path.top) + 1)).all()
