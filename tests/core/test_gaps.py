"""What lies round a support, by the lines as they are laid."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.toolpath.gaps import HOLD, pieces_of, seen_near, surroundings
from even_step.core.toolpath.lines import lines_of
from even_step.core.toolpath.roles import OF_PARTS, SUPPORT_CONTACT
from tests.core.findings.test_unheld import united
from tests.hung import tee
from tests.shapes import box

HELD = {"skirt.loops": 0, "supports.kind": "sheet"}


def cut_at(done, near):
    """The surroundings of the top of the support that is nearest to a place of the bed."""
    path = done.sliced.toolpath
    lines = lines_of(path)
    ends = pieces_of(lines.points, (SUPPORT_CONTACT,))
    ends = ends[ends[:, 0, 2] > ends[:, :, 2].max() - 0.01]
    place = seen_near(ends, ends[:, :, :2], near, 5.0, 0.0)[0]
    return surroundings(lines.points, lines.layer, path.top, place)


@pytest.mark.parametrize(("gap", "beside"), [(0.1, 0.6), (0.25, 1.1), (0.4, 0.8)])
def test_the_gaps_of_the_settings_are_measured_on_the_lines(sliced, gap, beside):
    done = sliced(tee(), HELD | {"supports.gap_above": gap, "supports.gap_beside": beside})
    x, y = done.sliced.placed[0].at
    found = cut_at(done, (x + 4.0, y))
    assert found.above == pytest.approx(gap, abs=0.005)
    assert beside - 0.05 < found.beside < beside + 0.55, "the outermost line lies up to a line distance within"
    assert found.stands_on_bed
    assert found.toward == pytest.approx([-1.0, 0.0], abs=0.05)


def test_from_lower_lines_it_is_the_top_of_the_support_that_is_measured(sliced):
    done = sliced(tee(), HELD)
    x, y = done.sliced.placed[0].at
    path = done.sliced.toolpath
    lines = lines_of(path)
    ends = pieces_of(lines.points, HOLD)
    ends = ends[np.abs(ends[:, 0, 2] - 18.0) < 0.11]
    place = seen_near(ends, ends[:, :, :2], (x + 12.0, y), 5.0, 0.0)[0]
    found = surroundings(lines.points, lines.layer, path.top, place)
    assert found.tip == pytest.approx(19.8, abs=0.005)
    assert found.above == pytest.approx(0.2, abs=0.005)


def test_what_stands_on_the_part_has_a_gap_below(sliced):
    over_a_plate = united(box(40, 40, 2), box(8, 8, 14, (0, 0, 1.99)), box(20, 20, 4, (0, 0, 15.9)))
    done = sliced(over_a_plate, HELD | {"supports.gap_below": 0.4})
    x, y = done.sliced.placed[0].at
    found = cut_at(done, (x + 8.0, y))
    assert not found.stands_on_bed
    assert found.below == pytest.approx(0.4, abs=0.01)


def test_the_cut_shows_lines_as_wide_as_they_are_laid(sliced):
    done = sliced(tee(), HELD)
    x, y = done.sliced.placed[0].at
    found = cut_at(done, (x + 12.0, y))
    roles = found.cut[:, 4].astype(int)
    assert np.isin(roles, OF_PARTS).any()
    assert np.isin(roles, HOLD).any()
    assert found.cut[:, 0].min() > -30.0
    own = found.cut[(np.abs(found.cut[:, 2] - found.place[2]) < 0.01) & np.isin(roles, HOLD)]
    assert (own[:, 1] - own[:, 0]).min() >= found.line[0] - 1e-6


def test_without_lines_nothing_is_near():
    assert len(seen_near(np.empty((0, 2, 3)), np.empty((0, 2, 2)), (0.0, 0.0), 60.0, 4.0)) == 0
    far = np.full((1, 2, 2), 100.0)
    assert len(seen_near(np.zeros((1, 2, 3)), far, (0.0, 0.0), 60.0, 4.0)) == 0
