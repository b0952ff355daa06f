"""Several beds in the window: tabs, what goes where, a trial for each."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QPushButton

from even_step.app.actions import BY_ID
from even_step.core.job.beds import bed_count, on_bed, spots_on
from even_step.core.job.edits import placed_at, removed
from even_step.core.job.spots import copy_at
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


@pytest.fixture
def two_beds(hand, tmp_path):
    """The window with nine blocks of which seven fit on a bed."""
    hand.drop(write_stl(tmp_path / "block.stl", box(80, 60, 5)))
    hand.desk.selection.pick([hand.spot()])
    QApplication.processEvents()
    hand.type_into("copies", "9")
    hand.wait(lambda: bed_count(hand.desk.job) > 1)
    hand.drawn()
    assert "found room" in hand.window.area.notes.text
    hand.click("remedy Gather over all beds")
    hand.wait(lambda: bed_count(hand.desk.job) == 2)
    hand.drawn()
    return hand


def test_what_finds_no_room_stands_on_a_second_bed_with_a_tab(two_beds):
    hand = two_beds
    assert [tab.text() for tab in hand.window.area.beds.tabs] == ["Bed 1 · 7", "Bed 2 · 2"]
    assert len(hand.canvas.scene.parts) == 7
    assert not any(part.fault for part in hand.canvas.scene.parts)
    hand.click("bed 1")
    hand.drawn()
    assert len(hand.canvas.scene.parts) == 2
    assert hand.window.parts.rows.rows[0].count == "×2"
    hand.key(Qt.Key.Key_PageUp, Held.ControlModifier)
    assert hand.desk.view.bed == 0


def test_one_bed_needs_no_tabs(block):
    assert block.window.area.beds.isHidden()
    assert block.canvas.y() == 0


def test_each_bed_has_its_trials(two_beds):
    hand = two_beds
    first = hand.slice()
    hand.click("bed 1")
    assert hand.desk.trials.shown is None
    second = hand.slice()
    assert (first.bed, second.bed) == hand.desk.job.beds
    assert len(first.report["parts"][0]["placements"]) == 7
    assert len(second.report["parts"][0]["placements"]) == 2
    assert hand.window.files.proposed("gcode").endswith("_bed_2.gcode")
    hand.click(f"ticket {first.number}")
    assert hand.desk.view.bed == 0
    assert hand.desk.trials.shown is first
    hand.click("bed 1")
    assert hand.desk.trials.shown is second


def test_parts_are_moved_to_a_new_bed_and_gathered_again(block):
    hand = block
    hand.desk.selection.pick([hand.spot()])
    hand.key(Qt.Key.Key_D, Held.ControlModifier)
    hand.wait(lambda: len(hand.desk.job.parts[0].copies) == 2)
    before = hand.desk.job
    hand.drawn()
    assert not hand.find(QPushButton, "next bed").isVisible()
    hand.click("new bed")
    hand.wait(lambda: bed_count(hand.desk.job) == 2)
    assert hand.desk.view.bed == 1
    assert hand.desk.selection.spots == (hand.spot(0, 1),)
    hand.key(Qt.Key.Key_G, Held.ShiftModifier)
    hand.wait(lambda: bed_count(hand.desk.job) == 1)
    hand.drawn()
    assert hand.window.area.beds.isHidden()
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert hand.desk.job == before


def test_the_last_part_of_a_bed_takes_the_bed_with_it(two_beds):
    hand = two_beds
    hand.click("bed 0")
    hand.desk.selection.pick(())
    hand.key(Qt.Key.Key_A, Held.ControlModifier)
    assert len(hand.desk.selection.spots) == 7
    hand.key(Qt.Key.Key_Delete)
    hand.drawn()
    assert bed_count(hand.desk.job) == 1
    assert len(spots_on(hand.desk.job, 0)) == 2
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert bed_count(hand.desk.job) == 2


def test_a_part_goes_to_the_next_bed(block):
    hand = block
    hand.desk.selection.pick([hand.spot()])
    QApplication.processEvents()
    hand.type_into("copies", "3")
    hand.wait(lambda: len(hand.desk.job.parts[0].copies) == 3)
    for count, name in ((1, "new bed"), (2, "next bed")):
        hand.desk.view.set("bed", 0)
        hand.desk.selection.pick([hand.spot(0, count)])
        QApplication.processEvents()
        hand.click(name)
        hand.wait(lambda count=count: len(spots_on(hand.desk.job, 1)) == count)
        hand.drawn()
        assert hand.desk.view.bed == 1
        assert hand.desk.store.undo_name.endswith("to bed 2")
    assert not any(part.fault for part in hand.canvas.scene.parts)


def test_a_trial_of_a_bed_that_is_gone_is_shown_where_one_is(two_beds):
    hand = two_beds
    hand.click("bed 1")
    second = hand.slice()
    hand.click("bed 0")
    hand.window.run("parts.all")
    hand.key(Qt.Key.Key_Delete)
    hand.drawn()
    assert bed_count(hand.desk.job) == 1
    hand.click(f"ticket {second.number}")
    assert hand.desk.trials.shown is second
    hand.click("step Parts")
    hand.drawn()
    assert hand.desk.view.bed == 0
    assert len(hand.canvas.scene.parts) == 2


def test_locks_and_hiding_are_no_change_to_the_print(block):
    trial = block.slice()
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_K)
    block.key(Qt.Key.Key_H)
    assert block.desk.job != trial.job
    assert block.desk.job_of_bed == trial.job
    assert block.window.strip.button.below == "F5 · nothing changed"


def test_a_bed_out_of_view_is_marked_when_a_part_leaves_the_volume(two_beds):
    hand = two_beds
    assert [tab.icon().isNull() for tab in hand.window.area.beds.tabs] == [True, True]
    spot = spots_on(hand.desk.job, 1)[0]
    hand.desk.store.do("move", placed_at(hand.desk.job, {spot: (300.0, 20.0)}))
    assert [tab.icon().isNull() for tab in hand.window.area.beds.tabs] == [True, False]
    assert "a part is outside" in hand.window.area.beds.tabs[1].accessibleName()


def test_what_is_locked_goes_to_no_other_bed_and_loses_no_copy(two_beds):
    hand = two_beds
    spot = spots_on(hand.desk.job, 0)[-1]
    hand.desk.selection.pick([spot])
    hand.key(Qt.Key.Key_K)
    before = hand.desk.job
    hand.click("next bed")
    assert "is locked" in hand.window.area.notes.text
    hand.type_into("copies", "1")
    hand.drawn()
    assert hand.desk.job == before


def test_back_to_the_job_of_a_trial_its_bed_is_as_it_was_and_the_other_stays(two_beds):
    hand = two_beds
    trial = hand.slice()
    assert not BY_ID["trials.back"].can(hand.window.reach)
    before = hand.desk.job
    fewer = removed(before, spots_on(before, 0)[:3])
    hand.desk.store.do("fewer, and denser", fewer.with_settings({"infill.density": 70.0}))
    assert hand.desk.trials.shown is trial
    assert BY_ID["trials.back"].can(hand.window.reach)
    hand.window.run("trials.back")
    assert on_bed(hand.desk.job, 0) == trial.job
    assert [copy_at(hand.desk.job, spot) for spot in spots_on(hand.desk.job, 1)] == [
        copy_at(before, spot) for spot in spots_on(before, 1)
    ]
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert len(spots_on(hand.desk.job, 0)) == 4
