"""How many layers cover: by count, or by thickness where layers differ in height."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from even_step.core.catalogue.setting import take
from even_step.core.job.cascade import cascade
from even_step.core.plane import region
from even_step.core.slicing.covers import CoverSettings
from tests.shapes import box, write_stl
from tests.slicing_help import job_of, slice_again

THICK = np.array([0.3, 0.2, 0.2, 0.1, 0.1, 0.1])


@pytest.fixture
def settings(tmp_path):
    whole = take(CoverSettings, cascade(job_of(write_stl(tmp_path / "part.stl", box()))).values)
    return dataclasses.replace(whole, top_layers=1, bottom_layers=1, top_thickness=0.35, bottom_thickness=0.35)


def test_each_layer_looks_as_far_as_its_neighbours_are_thick(settings):
    above, below = settings.reach(THICK)
    assert above.tolist() == [2, 3, 4, 3, 2, 1], "one beyond the last counts as open"
    assert below.tolist() == [1, 2, 2, 2, 3, 3]


def test_counts_hold_where_they_give_more(settings):
    more = dataclasses.replace(settings, top_layers=4, bottom_layers=0, bottom_thickness=0.0)
    above, below = more.reach(THICK)
    assert above.tolist() == [4, 4, 4, 4, 4, 4]
    assert below.tolist() == [0] * 6


def test_tops_of_a_part_with_layers_of_several_heights_are_as_thick_as_asked(tmp_path):
    """Its last layers are thinner, so that it takes more of them."""
    wanted = {"top.layers": 1, "top.thickness": 0.75, "bottom.layers": 1, "layers.height": 0.2, "skirt.loops": 0}
    done = slice_again(tmp_path, job_of(write_stl(tmp_path / "part.stl", box(20, 20, 5.05)), wanted))
    solid = done.sliced.solids[0]
    open_ = region.area(solid.covers.open)[solid.covers.which] > 1.0
    full = np.flatnonzero(~open_)
    upper = full[full > len(open_) // 2]
    assert solid.heights.thick[upper].sum() >= 0.75 - 1e-6
    assert solid.heights.thick[upper[1:]].sum() < 0.75
