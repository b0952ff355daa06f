"""Inner walls laid once for several layers."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL
from tests.shapes import ball, box, comb
from tests.slicing_help import slice_it

FINE = {"skirt.loops": 0, "layers.height": 0.1, "walls.count": 3, "infill.end_run": 0}


@pytest.fixture
def both(tmp_path):
    def make(facets, **more):
        return [slice_it(tmp_path, facets, {**FINE, "walls.layers_at_once": n, **more}) for n in (1, 3)]

    return make


def test_inner_walls_rise_every_third_layer_and_the_outer_in_each(both):
    fine, thick = both(box(30, 20, 6))
    path = thick.sliced.toolpath
    layer = path.layer_of_path()
    inner, outer = path.role == INNER_WALL, path.role == OUTER_WALL
    assert set(np.unique(layer[outer])) == set(range(59))
    assert path.height[outer & (layer > 0)] == pytest.approx(0.1)
    high = inner & (path.height > 0.2)
    assert path.height[high] == pytest.approx(0.3)
    assert np.diff(np.unique(layer[high])) == pytest.approx(3)
    assert len(np.unique(layer[high])) == 19
    assert thick.report["time_s"] < 0.9 * fine.report["time_s"]


def test_thick_walls_weigh_as_much_and_leave_no_voids(both):
    fine, thick = both(box(30, 20, 6))
    assert thick.report["volume_by_role_mm3"]["inner-wall"] == pytest.approx(
        fine.report["volume_by_role_mm3"]["inner-wall"], rel=0.01
    )
    assert sum(thick.report["volume_by_role_mm3"].values()) == pytest.approx(
        sum(fine.report["volume_by_role_mm3"].values()), rel=0.01
    )
    for done in (fine, thick):
        rows = done.sliced.ledgers[0].rows[3:]
        assert (rows[:, 2] / rows[:, 0]).max() < 0.01
        assert (rows[:, 3] / rows[:, 0]).max() < 0.01


def test_what_is_too_narrow_for_thick_walls_is_filled_in_each_layer(both):
    _, thick = both(comb(teeth=4, thick=1.6))
    path = thick.sliced.toolpath
    gaps = path.role == GAP_FILL
    fine = gaps & (path.height < 0.2)
    assert len(np.unique(path.layer_of_path()[fine])) == thick.sliced.toolpath.layers - 1  # the first layer has its own
    rows = thick.sliced.ledgers[0].rows[3:]
    assert (rows[:, 2] / rows[:, 0]).max() < 0.02


def test_a_part_whose_layers_differ_is_laid_as_without(both):
    fine, thick = both(ball(8, 4))
    assert np.array_equal(fine.sliced.toolpath.xy, thick.sliced.toolpath.xy)


def test_no_line_is_higher_than_the_nozzle_lays(both):
    _, thick = both(box(20, 20, 4), **{"layers.height": 0.2})
    assert thick.sliced.toolpath.height.max() == pytest.approx(0.2)
