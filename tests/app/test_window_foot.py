"""The foot in the window: chosen on the sheet, drawn, and given by the remedy of a finding."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QPushButton

from even_step.app.stations.layers import LayersStation
from even_step.app.widgets.drawings import SettingDrawing
from even_step.core.catalogue import CATALOGUE
from tests.shapes import box, write_stl


@pytest.fixture
def mast(hand, tmp_path):
    """The window with a tall thin part."""
    hand.drop(write_stl(tmp_path / "mast.stl", box(4, 4, 60)))
    return hand


def press(hand, name):
    """Press a button of the sheet once it has its place and is in sight."""
    button = hand.find(QPushButton, name)
    hand.wait(lambda: button.height() > 10 and button.isVisible())
    hand.window.findChild(LayersStation).ensureWidgetVisible(button)
    hand.wait(lambda: not button.visibleRegion().isEmpty())
    hand.click(name, QPushButton)


def test_the_remedy_of_a_small_foot_is_a_button(mast):
    hand = mast
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    number = next(i for i, one in enumerate(trial.report["findings"]) if one["code"] == "foot-small")
    assert hand.find(QPushButton, f"fix {number}").text() == "Give mast a brim"
    press(hand, f"fix {number}")
    assert hand.desk.job.parts[0].settings == {"foot.kind": "brim"}
    assert hand.desk.store.undo_name == "Give mast a brim"
    again = hand.slice()
    assert "foot-small" not in {one["code"] for one in again.report["findings"]}
    assert "brim" in again.report["volume_by_role_mm3"]
    hand.window.run("edit.undo")
    assert hand.desk.job.parts[0].settings == {}


def test_a_remedy_for_a_part_that_is_gone_says_so(mast, tmp_path):
    hand = mast
    trial = hand.slice()
    number = next(i for i, one in enumerate(trial.report["findings"]) if one["code"] == "foot-small")
    hand.desk.selection.pick([hand.spot()])
    hand.window.run("parts.remove")
    hand.desk.view.set("station", "Layers")
    press(hand, f"fix {number}")
    hand.wait(lambda: "not in the job any more" in hand.window.area.notes.text)


def test_a_foot_is_chosen_on_the_sheet(mast):
    hand = mast
    hand.desk.view.set("station", "Recipe")
    hand.window.recipe.reveal("foot.kind")
    made = hand.window.recipe.lines["foot.kind"]
    assert made.isVisible()
    made.field.setCurrentText("raft")
    made.field.activated.emit(made.field.currentIndex())
    assert hand.desk.job.settings["foot.kind"] == "raft"


@pytest.mark.parametrize("key", [key for key in CATALOGUE if key.startswith(("foot.", "skirt.loops"))])
def test_each_choice_of_a_foot_is_drawn_in_its_own_way(qapp, key):
    setting = CATALOGUE[key]
    try:
        drawing = SettingDrawing(setting)
    except KeyError:
        return
    seen = set()
    for value in setting.choices or (0.0, 2.0, 6.0):
        drawing.show_values(value, value)
        drawing.resize(120, 62)
        image = drawing.grab().toImage()
        seen.add(bytes(image.constBits())[: image.width() * 44 * 4])
    assert len(seen) >= 2
