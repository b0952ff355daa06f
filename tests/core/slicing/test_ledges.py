"""Bottoms that hang on one side alone are anchored on it and laid from it outward."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from even_step.core.toolpath.roles import BOTTOM, BRIDGE
from tests.core.findings.test_unheld import united
from tests.hung import drawn
from tests.shapes import box

BARE = {"skirt.loops": 0, "infill.density": 0}
WIDTH = 0.4


def arm():
    return united(box(10, 10, 16), box(30, 10, 4, (15, 0, 6.0)))


def turned(facets, degrees):
    cos, sin = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return facets @ np.array([(cos, sin, 0), (-sin, cos, 0), (0, 0, 1)])


def first_over_air(done, role=BOTTOM):
    """The lines of a role in the lowest layer over the first that has some, in the part's frame before it is turned."""
    path = done.sliced.toolpath
    some = np.flatnonzero((path.role == role) & (path.top[path.layer_of_path()] > 3.0))
    layer = path.layer_of_path()[some].min()
    some = some[path.layer_of_path()[some] == layer]
    at = np.array(done.sliced.placed[0].at)
    return layer, [path.xy[path.start[k] : path.start[k + 1]].astype(float) - at for k in some]


@pytest.mark.parametrize("turn", [0.0, 30.0, 90.0, 200.0])
def test_an_arm_is_laid_along_its_root_from_there_outward(sliced, turn):
    facets = turned(arm(), turn)
    _, lines = first_over_air(sliced(facets, BARE))
    box_middle = (facets.reshape(-1, 3)[:, :2].min(axis=0) + facets.reshape(-1, 3)[:, :2].max(axis=0)) / 2
    points = [turned(np.column_stack((one + box_middle, np.zeros(len(one)))), -turn)[:, :2] for one in lines]
    steps = np.concatenate([np.diff(one, axis=0) for one in points])
    long = np.hypot(*steps.T)
    along = np.abs(steps[:, 1]) > 0.98 * long
    assert long[along].sum() > 0.9 * long.sum(), "lines run along the edge that holds them"
    rows = np.concatenate([(one[1:, 0] + one[:-1, 0]) / 2 for one in points])[along & (long > 2.0)]
    assert rows[0] < 5.0, "the first lies on what holds it"
    assert rows[0] > 5.0 - 2 * WIDTH
    assert (np.diff(rows) > -1e-6).all(), "each beside the last"
    assert rows[-1] > 28.0


def test_the_underside_is_as_full_as_any(sliced):
    done = sliced(arm(), BARE)
    layer, _ = first_over_air(done)
    path = done.sliced.toolpath
    lines = drawn(path, layer, set(range(int(path.role.max()) + 1)))
    outline = shapely.affinity.translate(shapely.box(-15, -5, 15, 5), *done.sliced.placed[0].at)
    root = shapely.affinity.translate(shapely.box(-4, -4, 14, 4), *done.sliced.placed[0].at)
    assert lines.area < outline.area * 1.03
    assert root.difference(lines.buffer(0.03)).area < 0.03 * root.area


def test_what_is_held_all_round_or_at_both_ends_is_laid_as_before(sliced):
    cap = united(box(8, 8, 10), box(24, 24, 4, (0, 0, 9.99)))
    _, lines = first_over_air(sliced(cap, BARE))
    steps = np.concatenate([np.diff(one, axis=0) for one in lines])
    long = np.hypot(*steps.T)
    slanting = np.abs(np.abs(steps[:, 0]) - np.abs(steps[:, 1])) < 0.02 * long
    assert long[slanting].sum() > 0.8 * long.sum(), "in the direction of full lines"
    beam = united(box(6, 10, 10, (-12, 0, 0)), box(6, 10, 10, (12, 0, 0)), box(30, 10, 3, (0, 0, 9.99)))
    _, strands = first_over_air(sliced(beam, BARE), BRIDGE)
    assert strands


def test_another_pattern_is_obeyed(sliced):
    _, lines = first_over_air(sliced(arm(), BARE | {"bottom.pattern": "concentric"}))
    assert any(len(one) > 4 and np.allclose(one[0], one[-1], atol=0.5) for one in lines)


def test_supports_change_nothing_of_it(sliced):
    _, bare = first_over_air(sliced(arm(), BARE))
    _, held = first_over_air(sliced(arm(), BARE | {"supports.kind": "sheet"}))
    assert sum(len(one) for one in bare) == sum(len(one) for one in held)
