"""Zones in the window: drawn, listed, placed by figures, with settings of their own, undone."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt

from even_step.app.widgets.zone_lines import zone_lines
from even_step.core.job import edits
from tests.shapes import box, write_stl


@pytest.fixture
def plate(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "plate.stl", box(60, 40, 6)))
    hand.desk.selection.pick([hand.spot()])
    return hand


def zones(hand):
    return hand.desk.job.parts[0].zones


def test_a_key_makes_a_zone_and_figures_place_it(plate):
    hand = plate
    hand.key(Qt.Key.Key_Z)
    (made,) = zones(hand)
    assert (made.shape, made.middle, made.size) == ("box", (0.0, 0.0, 3.0), (30.0, 20.0, 3.0))
    assert made.settings == {"infill.density": 30.0}
    assert hand.desk.store.undo_name == "box zone in plate"
    hand.click(f"zone {made.id}")
    hand.type_into("zone middle X", "12")
    hand.type_into("zone size Z", "20")
    assert zones(hand)[0].middle == (12.0, 0.0, 3.0)
    assert zones(hand)[0].size == (30.0, 20.0, 20.0)
    assert hand.desk.store.undo_name == "size zone of plate"
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert zones(hand)[0].size[2] == 3.0
    hand.type_into("zone size X", "0")
    assert zones(hand)[0].size[0] == 30.0
    assert "no size of a zone" in hand.window.area.notes.text
    hand.key(Qt.Key.Key_Escape)
    hand.click(f"remove zone {made.id}")
    assert zones(hand) == ()
    hand.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(zones(hand)) == 1


def test_a_zone_gets_settings_on_the_recipe_and_what_cannot_differ_is_not_offered(plate):
    hand = plate
    hand.click("new zone cylinder")
    made = zones(hand)[0]
    hand.click("zone settings")
    assert hand.desk.view.station == "Recipe"
    assert hand.find(object, "scope part").text() == f"Only for zone {made.id}"
    hand.desk.view.set("level", "everything")
    hand.type_into("setting infill.density", "70")
    assert zones(hand)[0].settings == {"infill.density": 70.0}
    assert hand.desk.store.undo_name == f"infill density 70 % for zone {made.id} of plate"
    assert hand.window.recipe.lines["infill.density"]._origin.text() == "zone"
    lines = hand.window.recipe.lines
    assert lines["walls.count"].isVisible()
    assert not lines["walls.seam"].isVisible()
    assert not lines["heat.bed"].isVisible()
    hand.click("return all")
    assert zones(hand)[0].settings == {}
    assert hand.window.recipe.lines["infill.density"].field.text() == "15 %"
    hand.desk.view.set("station", "Supports")
    assert hand.desk.whose.zone == ""
    assert hand.desk.whose.parts == (hand.part(),)


def test_the_lower_zone_wins_and_the_order_can_be_changed(plate):
    hand = plate
    for shape in ("box", "ball"):
        hand.click(f"new zone {shape}")
    first, second = zones(hand)
    hand.click(f"zone {first.id}")
    hand.click("zone over")
    assert zones(hand) == (second, first)


def test_a_zone_is_seen_and_goes_with_its_part(plate):
    hand = plate
    before = hand.canvas.grab().toImage()
    hand.key(Qt.Key.Key_Z)
    hand.drawn()
    hand.window.area.repaint()
    assert hand.window.area.grab().toImage() != before
    part, shape = hand.desk.job.parts[0], hand.canvas.scene.parts[0]
    lines = np.concatenate(zone_lines(part, shape, part.zones[0]))
    np.testing.assert_allclose(np.ptp(lines, axis=0), (30, 20, 3), atol=1e-6)
    hand.desk.store.do("turn", edits.turned(hand.desk.job, [hand.spot()], 2, 90.0))
    hand.drawn()
    part, shape = hand.desk.job.parts[0], hand.canvas.scene.parts[0]
    lines = np.concatenate(zone_lines(part, shape, part.zones[0]))
    np.testing.assert_allclose(np.ptp(lines, axis=0), (20, 30, 3), atol=1e-6)


def test_a_zone_is_sliced_and_saved(plate, tmp_path):
    hand = plate
    plain = hand.slice()
    hand.key(Qt.Key.Key_Z)
    denser = hand.slice()
    assert denser.mass > plain.mass
    assert denser.job.parts[0].zones == zones(hand)
