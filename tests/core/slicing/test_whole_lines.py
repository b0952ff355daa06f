"""Walls of one width only: whole lines or none, and the gaps are told."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.toolpath.roles import INNER_WALL, OUTER_WALL
from tests.shapes import box, extruded
from tests.slicing_help import slice_it

SETTINGS = {"skirt.loops": 0, "walls.vary_width": False, "walls.count": 2}


def walls_of(done):
    path = done.sliced.toolpath
    return path, np.flatnonzero(np.isin(path.role, (OUTER_WALL, INNER_WALL)))


def test_where_all_fit_nothing_differs(tmp_path):
    off, on = (slice_it(tmp_path, box(20, 20, 2), {**SETTINGS, "walls.vary_width": vary}) for vary in (False, True))
    (path, walls), (other, others) = walls_of(off), walls_of(on)
    assert path.lengths()[walls].sum() == pytest.approx(other.lengths()[others].sum())


def test_every_line_is_as_wide_as_set_and_gaps_are_told(tmp_path):
    wedge = shapely.Polygon([(0, -0.1), (40, -1.5), (40, 1.5), (0, 0.1)])
    done = slice_it(tmp_path, extruded(wedge, 2), SETTINGS)
    path, walls = walls_of(done)
    assert np.unique(path.width[walls]).tolist() == pytest.approx([0.45])
    assert len(walls) > 0
    assert "void" in {finding["code"] for finding in done.report["findings"]}
    assert done.report["ledger"]["overlap_mm2"] < 0.03 * done.report["ledger"]["region_mm2"]


@pytest.mark.parametrize(("thick", "lines"), [(0.4, 0), (0.5, 1), (0.95, 2)])
def test_a_thin_wall_holds_as_many_whole_lines_as_fit(tmp_path, thick, lines):
    done = slice_it(tmp_path, box(30, thick, 2), SETTINGS)
    path, walls = walls_of(done)
    long = path.lengths()[walls].sum() / max(path.layers, 1)
    assert long == pytest.approx(30 * lines, abs=2.0)
