"""Pins and findings: gone through by key, with words, set aside, kept with the job, and no change to a print."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QPushButton

from even_step.app.pinning import place_of
from even_step.app.told import told_findings
from even_step.core.job import edits
from even_step.core.job.pins import Pin
from tests.app.test_window_line import asked, middle_of, seen
from tests.shapes import box, write_stl

SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def sliced(block):
    block.slice()
    block.wait(lambda: block.canvas.is_whole)
    return block


def shown(hand, kind, name):
    """Return what has a name on the sheet, once it is laid out there."""
    found = []

    def there():
        found[:] = [one for one in hand.window.layers.findChildren(kind, name) if one.isVisible() and one.width() > 20]
        return bool(found)

    hand.wait(there)
    hand.qtbot.wait(50)
    return found[-1]


def press(hand, name):
    QTest.mouseClick(shown(hand, QPushButton, name), Qt.MouseButton.LeftButton)


def say(hand, name, words):
    field = shown(hand, QLineEdit, name)
    field.setFocus()
    QTest.keyClicks(field, words)
    QTest.keyClick(field, Qt.Key.Key_Return)


def pin_top(hand):
    hand.click_canvas(seen(hand, middle_of(hand, "top", hand.desk.trials.shown.lines.count - 1)))
    asked(hand)
    press(hand, "put pin")


def test_a_pin_has_words_goes_with_its_part_and_is_looked_at_again_by_key(sliced):
    hand = sliced
    pin_top(hand)
    (pin,) = hand.desk.job.pins
    assert pin.part == hand.part()
    before = place_of(hand.desk, pin)
    np.testing.assert_allclose(before, hand.desk.asked_line.place, atol=0.002)
    say(hand, "pin note", "does the corner lift")
    say(hand, "pin printed", "no")
    assert (hand.desk.job.pins[0].note, hand.desk.job.pins[0].printed) == ("does the corner lift", "no")
    hand.desk.store.do("move", edits.moved(hand.desk.job, [hand.spot()], (10.0, 0.0)))
    assert place_of(hand.desk, hand.desk.job.pins[0])[0] == pytest.approx(before[0] + 10.0, abs=0.002)
    hand.slice()
    hand.desk.view.show_layers(0, 2, hand.desk.trials.shown.lines.count)
    hand.desk.view.set("pin", -1)
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_F9)
    assert hand.desk.view.pin == 0
    assert hand.desk.trials.shown.lines.top[hand.desk.view.layers[1]] == pytest.approx(before[2], abs=0.01)
    press(hand, "remove pin 1")
    assert hand.desk.job.pins == ()
    hand.key(Qt.Key.Key_Z, CONTROL)
    assert len(hand.desk.job.pins) == 1


def test_several_pins_are_gone_through_both_ways(sliced):
    hand = sliced
    part, copy = hand.spot()
    for z in (1.0, 3.0, 5.0):
        hand.desk.store.do("pin", edits.with_pin(hand.desk.job, Pin(at=(0, 0, z), part=part, copy_id=copy)))
    hand.canvas.setFocus()
    seen_order = []
    for _ in range(4):
        hand.key(Qt.Key.Key_F9)
        seen_order.append(hand.desk.view.pin)
    hand.key(Qt.Key.Key_F9, SHIFT)
    assert [*seen_order, hand.desk.view.pin] == [0, 1, 2, 0, 2]


def test_pins_make_no_slice_old_and_are_saved_with_the_job(sliced, tmp_path):
    hand = sliced
    pin_top(hand)
    say(hand, "pin note", "look here")
    assert hand.window.strip.button.below == "F5 · nothing changed"
    assert hand.desk.trials.shown.job == hand.desk.job_of_bed
    target = tmp_path / "kept.3mf"
    hand.window.files.save(str(target))
    hand.wait(lambda: target.exists() and hand.desk.store.is_saved)
    hand.window.files.new()
    hand.window.files.open(str(target))
    hand.wait(lambda: len(hand.desk.job.pins) == 1)
    assert hand.desk.job.pins[0].note == "look here"


def test_back_to_the_job_of_a_trial_keeps_pins(sliced):
    hand = sliced
    hand.desk.store.do("denser", edits.with_setting(hand.desk.job, "infill.density", 40.0))
    pin_top(hand)
    hand.window.run("trials.back")
    assert "infill.density" not in hand.desk.job.settings
    assert len(hand.desk.job.pins) == 1


@pytest.fixture
def faulty(hand, tmp_path):
    """A tray over sparse infill whose top sags, and beside it a fin too thin for two lines."""
    hand.drop(write_stl(tmp_path / "tray.stl", box(60, 60, 4)))
    hand.desk.store.do("sparse", hand.desk.job.with_settings({"infill.density": 2}))
    hand.slice()
    hand.wait(lambda: hand.canvas.is_whole)
    return hand


def test_a_finding_is_set_aside_with_a_note_saved_and_told_again(faulty):
    hand = faulty
    found = hand.desk.trials.shown.report["findings"]
    number = next(k for k, one in enumerate(found) if one["code"] == "top-sags")
    assert hand.window.rail.steps["Layers"].mark == "warn"
    press(hand, f"set aside {number}")
    assert number not in told_findings(hand.desk)
    say(hand, f"why aside {number}", "nobody sees it")
    (aside,) = hand.desk.job.set_aside
    assert (aside.code, aside.note) == ("top-sags", "nobody sees it")
    assert hand.window.rail.steps["Layers"].mark != "warn"
    assert "1 set aside" in hand.window.layers._findings.note.text()
    hand.desk.store.do("thin", hand.desk.job.with_settings({"walls.count": 2}))
    hand.slice()
    assert all(hand.desk.trials.shown.report["findings"][k]["code"] != "top-sags" for k in told_findings(hand.desk))
    again = next(k for k, one in enumerate(hand.desk.trials.shown.report["findings"]) if one["code"] == "top-sags")
    press(hand, f"tell again {again}")
    assert again in told_findings(hand.desk)


def test_findings_are_gone_through_by_key_the_gravest_first(faulty):
    hand = faulty
    told = told_findings(hand.desk)
    hand.desk.view.set("station", "Parts")
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_F8)
    assert hand.desk.view.station == "Layers"
    assert hand.desk.view.finding == told[0]
    for _ in told:
        hand.key(Qt.Key.Key_F8)
    assert hand.desk.view.finding == told[0]
    hand.key(Qt.Key.Key_F8, SHIFT)
    assert hand.desk.view.finding == told[-1]


def test_a_pin_is_put_by_key_where_the_path_in_hand_ends(sliced):
    hand = sliced
    hand.desk.asked_line.clear()
    lines = hand.desk.trials.shown.lines
    hand.desk.view.show_layers(0, 6, lines.count)
    hand.window.run("pins.put")
    (pin,) = hand.desk.job.pins
    assert pin.part == hand.part()
    end = lines.points[int(lines.layer[7]) - 1, :3]
    assert place_of(hand.desk, pin) == pytest.approx(tuple(end.astype(float)), abs=0.01)


def test_a_finding_of_a_part_with_a_long_name_leaves_the_sheet_as_wide_as_it_is(hand, tmp_path):
    table = np.concatenate((box(10, 10, 20), box(60, 40, 4, (0, 0, 20))))
    hand.drop(write_stl(tmp_path / "the table that stands in the corner of the room upstairs.stl", table))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.drawn()
    buttons = [one for one in hand.window.layers.findChildren(QPushButton) if one.objectName().startswith("fix ")]
    assert any("…" in one.text() and "upstairs" in one.toolTip() for one in buttons)
    inner, view = hand.window.layers.widget(), hand.window.layers.viewport()
    assert inner.minimumSizeHint().width() <= view.width()
