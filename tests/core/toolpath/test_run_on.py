"""Pieces of a line that run on into each other, for a moving view."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.toolpath.lines import Lines, coarse_lines, lines_of
from even_step.core.toolpath.roles import INFILL, INNER_WALL, OUTER_WALL
from even_step.core.toolpath.run_on import run_on
from tests.core.toolpath.test_lines import laid_length
from tests.shapes import turned


def pieces(*paths):
    """Lines of paths, each (role, x of its points), at y = 0."""
    rows, numbers = [], []
    for number, (role, *along) in enumerate(paths):
        rows += [(x, 0.0, 0.2, 0.45, 0.2, role) for x in along]
        rows[-1] = (*rows[-1][:3], -0.12, *rows[-1][4:])
        numbers += [number] * len(along)
    return Lines(np.array(rows, np.float32), np.array([0, len(rows)]), np.array(numbers, np.int32))


def drawn(lines):
    """Where each segment that is laid begins and ends, and its path."""
    laid = np.flatnonzero(lines.points[:-1, 3] > 0)
    return [(float(lines.points[k, 0]), float(lines.points[k + 1, 0]), int(lines.path[k])) for k in laid]


def test_a_short_piece_is_one_with_what_it_runs_on_to():
    found = run_on(pieces((OUTER_WALL, 0, 10), (OUTER_WALL, 10, 11), (OUTER_WALL, 11, 20)))
    assert drawn(found) == [(0, 10, 0), (10, 11, 1), (11, 20, 2)]
    assert len(found.points) == 4
    assert found.layer.tolist() == [0, 4]
    assert drawn(coarse_lines(found)) == [(0, 20, 0)]


@pytest.mark.parametrize(
    "paths",
    [
        ((OUTER_WALL, 0, 10), (OUTER_WALL, 10, 20)),
        ((OUTER_WALL, 0, 10), (INNER_WALL, 10, 11)),
        ((INFILL, 0, 10), (INFILL, 10.5, 11)),
    ],
    ids=["long ones", "other roles", "apart"],
)
def test_others_stay_apart(paths):
    lines = pieces(*paths)
    assert np.array_equal(run_on(lines).points, lines.points)


def test_what_is_laid_stays_as_long_and_the_coarse_picture_takes_far_fewer_points(sliced):
    """A leaning wall is laid in stretches, each as fast as what holds it allows."""
    lines = lines_of(sliced(turned([(6.0, 0.0), (14.0, 9.0)], sides=90)).sliced.toolpath)
    found = run_on(lines)
    assert laid_length(found.points) == pytest.approx(laid_length(lines.points), rel=1e-6)
    assert found.layer[-1] == len(found.points)
    assert len(coarse_lines(found).points) < len(coarse_lines(lines).points)
