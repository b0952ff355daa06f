"""Trials: named, noted, starred, taken away and put back, their job taken up again."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QDialog, QLabel, QLineEdit

from even_step.app.actions import BY_ID
from even_step.app.widgets.comparison import ComparisonPage
from even_step.core.findings.finding import Finding
from even_step.core.job import edits
from even_step.core.job.kept_trials import summary_of
from even_step.core.toolpath.roles import ROLE_NUMBER
from even_step.core.wording import clock, grams

CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def two(block):
    """The window with two trials of a block: as it is, and denser."""
    block.slice()
    block.desk.store.do("denser", edits.with_setting(block.desk.job, "infill.density", 40.0))
    block.slice()
    return block


def possible(hand, action):
    return BY_ID[action].can(hand.window.reach)


def ticket(hand, number):
    return hand.find(QAbstractButton, f"ticket {number}")


def test_the_same_settings_sliced_again_are_the_same_ticket(two):
    first, second = two.desk.trials.all
    two.key(Qt.Key.Key_Z, CONTROL)
    assert two.slice() is first
    assert two.desk.trials.shown is first
    assert two.desk.trials.all == [first, second]
    assert two.desk.trials.last_of(two.desk.bed) is first
    assert two.window.strip.button.below == "F5 · nothing changed"
    two.desk.store.do("walls", edits.with_setting(two.desk.job, "walls.count", 4))
    assert two.slice().changed == ("walls 3 → 4",), "against what was sliced last"


def test_a_trial_is_named_noted_and_starred_and_keeps_it_with_the_job(two, tmp_path):
    two.type_into("trial name", "the dense one")
    two.type_into("trial note", "holds the mast")
    two.canvas.setFocus()
    two.key(Qt.Key.Key_B, CONTROL)
    trial = two.desk.trials.shown
    assert (trial.name, trial.note, trial.starred) == ("the dense one", "holds the mast", True)
    assert two.find(QLineEdit, "trial note").cursorPosition() == 0, "how it begins is what is read"
    told = ticket(two, 2)
    assert "starred" in told.accessibleName()
    assert "the dense one" in told.accessibleName()
    assert "infill density 15 → 40 %" in told.toolTip()
    assert "holds the mast" in told.toolTip()
    target = tmp_path / "kept.3mf"
    two.window.files.save(str(target))
    two.wait(lambda: target.exists() and two.desk.store.is_saved)
    two.window.files.new()
    two.window.files.open(str(target))
    two.wait(lambda: len(two.desk.trials.all) == 2)
    two.drawn()
    back = two.desk.trials.all[1]
    assert (back.name, back.note, back.starred) == ("the dense one", "holds the mast", True)
    two.click("ticket 2")
    two.wait(lambda: two.desk.trials.shown is back)
    two.click("trial star")
    assert not back.starred


def test_what_is_being_typed_is_said_of_the_trial_it_was_typed_for(two):
    field = two.find(QLineEdit, "trial name")
    field.setFocus()
    QTest.keyClicks(field, "dense")
    two.click("ticket 1")
    first, second = two.desk.trials.all
    two.wait(lambda: two.desk.trials.shown is first)
    assert (first.name, second.name) == ("", "dense")
    assert two.find(QLineEdit, "trial name").text() == ""


def test_a_trial_is_taken_away_and_put_back_where_it_was(two):
    first, second = two.desk.trials.all
    two.click("ticket 1")
    two.wait(lambda: two.desk.trials.shown is first)
    two.window.run("trials.take_away")
    two.wait(lambda: two.desk.trials.shown is second)
    assert two.desk.trials.all == [second]
    assert "Trial 1" in two.window.area.notes.text
    two.click("remedy Put the trial back")
    two.wait(lambda: two.desk.trials.shown is first)
    assert two.desk.trials.all == [first, second]
    assert not possible(two, "trials.put_back")
    for _ in range(2):
        two.window.run("trials.take_away")
    assert two.desk.trials.all == []
    for _ in range(2):
        two.window.run("trials.put_back")
    assert two.desk.trials.all == [first, second]


def test_with_its_last_trial_taken_away_the_bed_has_none_and_its_next_is_new(block):
    block.slice()
    block.window.run("trials.take_away")
    assert block.desk.trials.shown is None
    assert block.desk.trials.all == []
    assert block.slice().number == 2


def test_the_job_of_a_trial_is_taken_up_again_as_one_step(two):
    first, second = two.desk.trials.all
    assert not possible(two, "trials.back"), "it is the job"
    two.click("ticket 1")
    two.wait(lambda: two.desk.trials.shown is first)
    two.window.run("trials.back")
    assert two.desk.job == first.job
    two.canvas.setFocus()
    two.key(Qt.Key.Key_Z, CONTROL)
    assert two.desk.job == second.job


def difference(hand, name):
    return hand.find(QLabel, f"difference {name}").text()


def test_two_trials_are_compared_by_a_click_with_control_or_by_key(two):
    first, second = two.desk.trials.all
    two.click("ticket 1", modifier=CONTROL)
    page = two.find(QDialog, "comparison")
    assert two.desk.trials.shown is second, "what is shown stays"
    assert ticket(two, 2).isChecked()
    assert not ticket(two, 1).isChecked()
    assert page.windowTitle() == "Trial 1 and trial 2"
    assert "infill density 15 → 40 %" in [text.text() for text in page.findChildren(QLabel)]
    assert difference(two, "mass_g") == f"+ {grams(second.mass - first.mass)}"
    assert difference(two, "time_s") == f"+ {clock(second.time - first.time)}"
    assert difference(two, "layers") == "same"
    assert not any(text.text().endswith((" 0 s", " 0.0 g")) for text in page.findChildren(QLabel))
    two.click("close comparison")
    two.wait(lambda: not page.isVisible())
    two.activate()
    two.canvas.setFocus()
    two.key(Qt.Key.Key_B, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    two.wait(lambda: any(one.isVisible() for one in two.window.findChildren(QDialog, "comparison")))
    again = two.find(QDialog, "comparison")
    assert again.told == page.told
    again.accept()


def test_a_trial_kept_with_a_job_is_compared_by_what_was_kept_of_it(two):
    for trial in two.desk.trials.all:
        trial.report = summary_of(trial.report)
    two.click("ticket 1", modifier=CONTROL)
    page = two.find(QDialog, "comparison")
    assert difference(two, "mass_g").startswith("+ ")
    assert "void_mm2" not in {**page.told["figures"], **page.told["same"]}
    page.accept()


def test_findings_are_listed_as_gained_and_lost(two):
    first, second = two.desk.trials.all
    told = asdict(
        Finding(
            "void", "warn", "block", 3, 0.8, (5.0, 5.0), 3.0, "mm²", "a void of 3 mm²", "narrower lines", "p1", "c1"
        )
    )
    second.report = {**second.report, "findings": [told]}
    page = ComparisonPage(first, second, two.window)
    page.open()
    assert "block: a void of 3 mm²" in [text.text() for text in page.findChildren(QLabel)]
    assert [len(page.told["findings"][word]) for word in ("gained", "lost")] == [1, 0]
    page.accept()


def told_only(hand):
    return [one.text() for one in hand.window.layers.findChildren(QLabel, "only told") if one.isVisible()]


def test_what_only_one_of_two_trials_has_is_marked_and_of_either_by_its_ticket(two):
    hand = two
    first, second = hand.desk.trials.all
    hand.key(Qt.Key.Key_B, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    page = hand.find(ComparisonPage, "comparison")
    QTest.mouseClick(page.findChild(QAbstractButton, "mark only"), Qt.MouseButton.LeftButton)
    hand.wait(lambda: hand.desk.only_here.marks is not None)
    assert hand.desk.view.colour_by == "only"
    marks, lines = hand.desk.only_here.marks, second.lines
    role_of = lines.points[np.searchsorted(lines.path, np.arange(len(marks))), 5].astype(int)
    assert set(role_of[marks > 0]) <= {ROLE_NUMBER["infill"], ROLE_NUMBER["inner-wall"]}
    assert (marks > 0).any()
    hand.wait(lambda: f"not in trial 1, {int(marks.sum())} of {len(marks)} lines" in told_only(hand))
    hand.click("ticket 1")
    hand.wait(lambda: hand.desk.trials.shown is first and hand.desk.only_here.marks is not None)
    assert len(hand.desk.only_here.marks) == len(first.lines.by_part)
    hand.wait(lambda: hand.canvas.scene.lines is not None and hand.canvas.scene.lines.marks is not None)


def test_against_itself_nothing_is_marked_and_alone_there_is_nothing_to_mark(block):
    block.slice()
    block.desk.view.set("station", "Layers")
    block.desk.view.set("colour_by", "only")
    assert block.desk.only_here.against is None
    block.desk.store.do("renamed", block.desk.job.model_copy(update={"name": "other"}))
    block.slice()
    block.wait(lambda: block.desk.only_here.marks is not None)
    assert block.desk.only_here.marks.sum() == 0
