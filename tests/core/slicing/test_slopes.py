"""More walls where the outline moves far from layer to layer."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.toolpath.roles import INNER_WALL
from tests.shapes import box
from tests.slicing_help import slice_it

BARE = {"skirt.loops": 0, "walls.count": 2, "layers.height": 0.2}


def wedge(run, rise, deep=20.0):
    """A block whose left face leans: ``run`` mm over ``rise`` mm of height."""
    facets = box(30, deep, rise).copy()
    low = facets[..., 2] < 1e-6
    left = facets[..., 0] < facets[..., 0].min() + 1e-6
    facets[low & left, 0] -= run
    return facets


def inner_length(done, layer):
    path = done.sliced.toolpath
    some = (path.layer_of_path() == layer) & (path.role == INNER_WALL)
    return float(path.lengths()[some].sum())


@pytest.mark.parametrize(("run", "more"), [(0.5, False), (12.0, True), (25.0, True)])
def test_a_shallow_slope_gets_more_walls(tmp_path, run, more):
    plain, extra = (slice_it(tmp_path, wedge(run, 6.0), {**BARE, "walls.more_on_slopes": n}) for n in (0, 2))
    lengths = [inner_length(done, 15) for done in (plain, extra)]
    assert (lengths[1] > 2 * lengths[0]) == more
    rows = extra.sliced.ledgers[0].rows
    assert (rows[:, 2] / rows[:, 0]).max() < 0.02
    assert (rows[:, 3] / rows[:, 0]).max() < 0.02


def test_a_wide_step_is_no_slope(tmp_path):
    stairs = np.concatenate((box(30, 20, 3), box(20, 12, 6)))
    plain, extra = (slice_it(tmp_path, stairs, {**BARE, "walls.more_on_slopes": n}) for n in (0, 2))
    assert np.array_equal(plain.sliced.toolpath.xy, extra.sliced.toolpath.xy)
