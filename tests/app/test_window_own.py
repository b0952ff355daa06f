"""Settings of a part's own in the window: shown, changed, taken back, undone."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt

from even_step.app.acts.slicing import why_not
from even_step.core.job import edits
from tests.shapes import box, write_stl
from tests.spots import nth_spot

Held = Qt.KeyboardModifier


@pytest.fixture
def two(hand, tmp_path):
    """The window with two blocks."""
    hand.drop(*(write_stl(tmp_path / f"{name}.stl", box(20, 20, 4)) for name in ("cap", "foot")))
    hand.desk.selection.pick([hand.spot(1)])
    return hand


def shown(hand, key):
    made = hand.window.recipe.lines[key]
    return made.field.text() if made.isVisible() else None


def own(hand):
    return [dict(part.settings) for part in hand.desk.job.parts]


def test_a_picked_part_gets_a_setting_of_its_own_from_its_sheet(two):
    hand = two
    hand.click("own settings")
    assert hand.desk.view.station == "Recipe"
    assert hand.find(object, "scope part").text() == "Only for foot"
    hand.type_into("setting infill.density", "45")
    assert own(hand) == [{}, {"infill.density": 45.0}]
    assert hand.desk.job.settings == {}
    assert shown(hand, "infill.density") == "45 %"
    assert hand.desk.store.undo_name == "infill density 45 % for foot"
    assert "back to the whole job" in hand.find(object, "return all").text()
    hand.click("scope job")
    assert shown(hand, "infill.density") == "15 %"
    assert "foot with a value of its own" in hand.window.recipe.lines["infill.density"]._facts.text()
    hand.desk.view.set("station", "Parts")
    assert hand.find(object, f"part {hand.part(1)}").accessibleName().endswith("1 of its own")
    hand.click("own back infill.density")
    assert own(hand) == [{}, {}]


def test_what_cannot_be_a_parts_own_is_not_offered(two):
    hand = two
    hand.key(Qt.Key.Key_S, Held.ShiftModifier)
    hand.desk.view.set("level", "everything")
    assert shown(hand, "heat.bed") is None
    assert shown(hand, "motion.travel_speed") is None
    assert not hand.find(object, "recipe Even").isVisible()
    assert shown(hand, "walls.count") == "3"
    hand.window.recipe.reveal("heat.bed")
    assert hand.desk.whose.parts == (), "found through the whole job"
    assert shown(hand, "heat.bed") is not None


def test_it_follows_what_is_picked_and_takes_several_at_once(two):
    hand = two
    hand.key(Qt.Key.Key_S, Held.ShiftModifier)
    hand.type_into("setting infill.density", "45")
    hand.desk.selection.pick([hand.spot()])
    assert hand.find(object, "scope part").text() == "Only for cap"
    assert shown(hand, "infill.density") == "15 %"
    hand.desk.selection.pick([hand.spot(), hand.spot(1)])
    assert hand.find(object, "scope part").text() == "Only for 2 parts"
    assert hand.window.recipe.lines["infill.density"]._origin.text() == "not alike"
    hand.type_into("setting infill.density", "45")
    assert own(hand) == [{"infill.density": 45.0}] * 2
    hand.click("return all")
    assert own(hand) == [{}, {}]
    hand.window.run("edit.undo")
    hand.window.run("edit.undo")
    assert own(hand) == [{}, {"infill.density": 45.0}]
    hand.desk.selection.pick(())
    assert hand.desk.whose.parts != (), "what was shown stays when nothing is picked"


def test_of_several_the_way_back_is_to_the_whole_job(two):
    hand = two
    hand.desk.store.do("denser", hand.desk.job.with_settings({"infill.density": 30}))
    hand.desk.store.do("own", edits.with_setting_of_parts(hand.desk.job, [hand.part(1)], "infill.density", 45))
    hand.desk.selection.pick([hand.spot(1), hand.spot()])  # the last has nothing of its own
    hand.key(Qt.Key.Key_S, Held.ShiftModifier)
    assert hand.desk.whose.under("infill.density") == 30.0
    hand.type_into("setting infill.density", "30")
    assert own(hand) == [{}, {}]


def test_copies_go_together_and_say_so(two):
    hand = two
    three = edits.with_copies(hand.desk.job, hand.part(1), 2)
    hand.desk.store.do("three", edits.placed_at(three, {nth_spot(three, 1, 1): (40.0, 40.0)}))
    hand.click("own settings")
    assert hand.window.recipe.remark.text() == "for all 2 copies"
    hand.type_into("setting walls.count", "1")
    trial = hand.slice()
    assert trial.report["parts"][1]["changed"] == {"walls.count": 1}
    hand.desk.view.set("station", "Recipe")
    hand.click("scope part")
    hand.desk.store.do("less", edits.removed(hand.desk.job, [hand.spot(1), hand.spot(1, 1)]))
    assert hand.desk.whose.parts == (), "its part is gone"
    assert shown(hand, "walls.count") in {"3", None}


def test_a_value_the_machine_cannot_do_stops_the_slice_with_the_parts_name(two):
    hand = two
    hand.desk.store.do("wide", edits.with_setting_of_parts(hand.desk.job, [hand.part(1)], "walls.line_width", 3.0))
    assert "for foot alone" in why_not(hand.desk)
    assert not hand.window.strip.button.isEnabled()
    hand.key(Qt.Key.Key_F5)
    assert not hand.desk.trials.running


def test_another_job_begins_with_the_whole_job(two, tmp_path):
    hand = two
    hand.key(Qt.Key.Key_S, Held.ShiftModifier)
    hand.window.files.new()
    assert hand.desk.whose.parts == ()
