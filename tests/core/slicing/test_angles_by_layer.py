"""Infill angles that are taken layer by layer."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.catalogue import find_setting
from even_step.core.errors import SettingError
from tests.core.slicing.zone_help import OPEN, block, infill_of, zone, zoned
from tests.slicing_help import slice_again

SIZE = (40.0, 40.0, 2.4)


def directions(lines):
    """Directions of the long lines, degrees from 0 to 180."""
    xy = np.array([line.coords for line in lines.geoms if line.length > 3])
    way = xy[:, 1] - xy[:, 0]
    turns = np.degrees(np.arctan2(way[:, 1], way[:, 0])) % 180.0
    return {round(turn) % 180 for turn in turns.tolist()}


def test_each_layer_takes_the_next_angle(tmp_path):
    plain = OPEN | {"infill.angle": "0 60 120", "infill.pattern": "lines"}
    done = slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [], plain))
    lines = infill_of(done, SIZE)
    assert [directions(lines[layer]) for layer in range(6)] == [{0}, {60}, {120}] * 2
    held = done.sliced.ledgers[0].rows[:, 1]
    assert np.ptp(held) < 0.05 * held.mean()  # a line more or less of twenty


def test_one_angle_is_crossed_as_before(tmp_path):
    plain = OPEN | {"infill.angle": 30, "infill.pattern": "lines"}
    lines = infill_of(slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [], plain)), SIZE)
    assert [directions(lines[layer]) for layer in range(4)] == [{30}, {120}] * 2


def test_a_zone_has_angles_of_its_own_and_thick_infill_takes_one_a_storey(tmp_path):
    fine = OPEN | {"layers.height": 0.1, "layers.first_height": 0.1, "infill.layers_at_once": 2}
    spot = zone((20, 20, 1), (24, 24, 9), {"infill.angle": "0 90", "infill.pattern": "grid"})
    lines = infill_of(slice_again(tmp_path, zoned(tmp_path, block(*SIZE), [spot], fine)), SIZE)
    inside = {layer: shapely.intersection(some, shapely.box(9, 9, 31, 31)) for layer, some in lines.items()}
    long = [directions(some) for some in inside.values() if some.length > 20]
    assert len(long) >= 10
    assert all(some == {0, 90} for some in long)


def test_numbers_are_read_and_refused():
    angle = find_setting("infill.angle")
    assert angle.value_of("0, 60  120 °") == "0 60 120"
    assert angle.value_of([0, 60, 120]) == "0 60 120"
    assert angle.value_of(" 45 ") == 45.0
    assert angle.value_of(45) == 45.0
    assert angle.type == "numbers"
    for wrong in ("0 sixty", "0 600", "", True, "1 " * 101):
        with pytest.raises(SettingError):
            angle.value_of(wrong)
