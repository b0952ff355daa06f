"""Layers that are laid alike are timed and written once; what comes out must not show it."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from even_step.core.motion import repeats
from even_step.core.motion.expand import moves_alike
from even_step.core.motion.moves import Limits
from even_step.core.motion.plan import plan_motion
from even_step.core.motion.writer import gcode
from even_step.core.report import gcode_job
from even_step.core.work import crew
from tests.shapes import comb
from tests.slicing_help import slice_it

WAYS = {
    "lifted": {"travel.lift": 0.4},
    "wiped": {"travel.wipe": 3.0, "travel.lift": 0.2},
    "fan late": {"cooling.fan_from_layer": 12},
    "slowed": {"cooling.least_layer_time": 20.0},
    "scattered seams": {"walls.seam": "scattered"},
    "odd heights": {"layers.height": 0.2125, "layers.first_height": 0.2375},
}


def told_one_by_one(sliced):
    """The same slice, with no layer known to repeat another."""
    alone = dataclasses.replace(sliced.toolpath, repeats=np.arange(sliced.toolpath.layers))
    with crew(1) as hands:
        plan = plan_motion(alone, sliced.lines, sliced.motion, Limits.of(sliced.job.machine.motion), hands)
    return dataclasses.replace(sliced, toolpath=alone, plan=plan)


def written(sliced, threads=1):
    with crew(threads) as hands:
        return b"".join(gcode(gcode_job(sliced), hands))


@pytest.mark.parametrize("settings", WAYS.values(), ids=WAYS.keys())
def test_repeated_layers_are_written_and_timed_as_if_alone(tmp_path, settings):
    sliced = slice_it(tmp_path, comb(height=6.0), settings, copies=2).sliced
    alone = told_one_by_one(sliced)
    assert written(sliced) == written(sliced, threads=2) == written(alone)
    np.testing.assert_allclose(sliced.plan.layer_time, alone.plan.layer_time, rtol=1e-9)
    np.testing.assert_allclose(sliced.plan.path_time, alone.plan.path_time, rtol=1e-9)
    np.testing.assert_allclose(sliced.plan.way_time, alone.plan.way_time, rtol=1e-9)


def test_most_layers_of_an_upright_part_repeat_others(tmp_path):
    path = slice_it(tmp_path, comb(height=6.0), {"travel.lift": 0.4}).sliced.toolpath
    own = np.flatnonzero(path.repeats == np.arange(path.layers))
    assert 0 in own
    assert path.layers - 1 in own
    assert len(own) < path.layers / 2
    for layer, model in enumerate(path.repeats):
        (a, b), (c, d) = path.layer[layer : layer + 2], path.layer[model : model + 2]
        np.testing.assert_array_equal(path.xy[path.start[a] : path.start[b]], path.xy[path.start[c] : path.start[d]])
        np.testing.assert_array_equal(path.role[a:b], path.role[c:d])


def test_without_room_to_keep_layers_the_bytes_are_the_same(tmp_path, monkeypatch):
    sliced = slice_it(tmp_path, comb(height=4.0)).sliced
    whole = written(sliced)
    monkeypatch.setattr(repeats, "KEPT", 0)
    assert written(sliced) == whole


def test_under_the_machines_roof_a_clamped_lift_is_no_repeat(tmp_path):
    sliced = slice_it(tmp_path, comb(height=6.0), {"travel.lift": 1.0}).sliced
    low = dataclasses.replace(sliced.motion, highest=6.2)
    clamped = sliced.toolpath.top + 1.0 > 6.2
    assert clamped.any()
    assert (moves_alike(sliced.toolpath, low)[clamped] == np.flatnonzero(clamped)).all()
