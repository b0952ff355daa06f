"""Layers of another height where zones take whole layers."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from even_step.core.mesh.solids import box, cylinder
from even_step.core.slicing.contours import ContourSettings
from even_step.core.slicing.heights import HeightSettings, HeightSpan, fixed_heights
from even_step.core.slicing.whole_layers import whole_layers
from even_step.core.work import ALONE
from tests.core.slicing.zone_help import block, zone, zoned
from tests.slicing_help import slice_again

SIZE = (20.0, 20.0, 12.0)
FINE = {"layers.height": 0.1}


def heights_of(done):
    return done.sliced.solids[0].heights


def idle(done):
    return [one.message for one in done.sliced.findings if one.code == "setting-idle" and "Layer height" in one.message]


def test_a_zone_round_the_middle_is_laid_in_finer_layers(tmp_path):
    """From 4.1 to 8.3 mm: layers end at both, are 0.1 mm within and 0.2 mm elsewhere; the part is as tall as drawn."""
    within = zone((10, 10, 6.2), (30, 30, 4.2), FINE)
    done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [within]))
    found = heights_of(done)
    assert found.top[-1] == pytest.approx(12.0)
    for end in (4.1, 8.3):
        assert np.abs(found.top - end).min() < 1e-6
    inside = (found.cuts > 4.1) & (found.cuts < 8.3)
    assert inside.sum() == 42
    np.testing.assert_allclose(found.thick[inside], 0.1, atol=1e-6)
    assert found.thick[~inside].min() > 0.15
    assert not idle(done)


def test_a_zone_that_leaves_some_of_the_layer_out_is_told_and_changes_no_height(tmp_path):
    within = zone((13, 10, 6), (30, 10, 4), FINE)
    done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [within]))
    np.testing.assert_allclose(heights_of(done).thick, 0.2)
    assert idle(done)


def test_a_zone_as_wide_as_the_part_takes_its_layers_from_end_to_end():
    """A box of 9 mm about the middle of a rod of 30 mm, hardly wider than it."""
    rod_like = cylinder(np.array([12.0, 12.0, 30.0]))
    rod = type(rod_like)(rod_like.vertices + (0, 0, 15.0), rod_like.faces)
    held = box(np.array([12.1, 12.1, 9.0]))
    held = type(held)(held.vertices + (0, 0, 15.0), held.faces)
    ((low, high),) = whole_layers(rod, held, 0.05, ContourSettings(2.0, 0.01), ALONE)
    assert (low, high) == pytest.approx((10.5, 19.5))


def test_zones_over_one_another_the_later_wins(tmp_path):
    all_of_it = zone((10, 10, 6), (30, 30, 30), {"layers.height": 0.28})
    within = zone((10, 10, 9), (30, 30, 2), FINE)
    found = heights_of(slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [all_of_it, within])))
    inside = (found.cuts > 8) & (found.cuts < 10)
    np.testing.assert_allclose(found.thick[inside], 0.1, atol=1e-6)
    assert found.thick[~inside][1:].min() > 0.2
    assert found.top[-1] == pytest.approx(12.0)


def test_a_zone_snapped_to_the_last_layers_reaches_down_from_the_top(tmp_path):
    within = zone((10, 10, 2), (30, 30, 3), FINE, snap="last")
    found = heights_of(slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [within])))
    np.testing.assert_allclose(found.thick[found.cuts > 9], 0.1, atol=1e-6)
    np.testing.assert_allclose(found.thick[found.cuts < 9], 0.2, atol=1e-6)


def edges():
    return st.floats(0.0, 20.0).map(lambda value: round(value, 3))


@settings(max_examples=300, deadline=None, derandomize=True)
@given(st.lists(st.tuples(edges(), edges(), st.sampled_from([0.05, 0.1, 0.2, 0.3])), max_size=5), st.floats(0.5, 20.0))
def test_any_spans_keep_the_limits_and_the_height_of_the_part(spans, tall):
    tall = round(tall, 3)
    many = [HeightSpan(min(a, b), max(a, b), height) for a, b, height in spans]
    found = fixed_heights(tall, HeightSettings(0.2, 0.2, 0.0, 0.0, 0.05, 0.32), many)
    assert found.thick.min() >= 0.05 - 1e-3
    assert found.thick.max() <= 0.32 + 1e-3
    assert found.top[-1] == pytest.approx(tall, abs=0.026)
    assert found.thick.sum() == pytest.approx(found.top[-1])
