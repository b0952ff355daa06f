"""The page of sweeps: what is tried in the background, its curve, and what is done with a point."""

from __future__ import annotations

import csv

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from even_step.app.widgets.curve import Curve
from even_step.app.widgets.sweep_page import SweepPage
from tests.app.file_dialogs import answer
from tests.shapes import box, comb, write_stl

NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def page(block):
    """The page of sweeps over a block."""
    block.window.run("trials.sweep")
    found = block.find(SweepPage, "sweep")
    block.wait(lambda: found.findChild(Curve) is not None)
    return found


def told(page):
    return page.findChild(QLabel, "sweep told").text()


def press(page, name):
    QTest.mouseClick(page.findChild(QPushButton, name), Qt.MouseButton.LeftButton)


def type_into(page, name, text):
    field = next(one for one in page.findChildren(object) if one.objectName() == name)
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def swept(hand, page):
    press(page, "sweep start")
    hand.wait(lambda: not hand.desk.sweeping.running)
    return hand.desk.sweeping.rows


def test_a_density_is_swept_a_point_chosen_and_its_settings_taken(block, page):
    type_into(page, "sweep from", "10")
    type_into(page, "sweep to", "30")
    type_into(page, "sweep step", "10")
    assert told(page) == "3 slices, in the background"
    rows = swept(block, page)
    assert [row["infill.density"] for row in rows] == [10.0, 20.0, 30.0]
    assert rows[0]["mass_g"] < rows[1]["mass_g"] < rows[2]["mass_g"]
    curve = page.findChild(Curve)
    at = curve.seen_at(1).toPoint()
    QTest.mouseClick(curve._plot.viewport(), Qt.MouseButton.LeftButton, NONE, at)
    assert page.findChild(QLabel, "sweep chosen").text().startswith("infill density 20 %: printing time")
    QTest.keyClick(curve, Qt.Key.Key_Right)
    assert page.findChild(QLabel, "sweep chosen").text().startswith("infill density 30 %")
    press(page, "sweep take")
    assert block.desk.job.settings["infill.density"] == 30.0
    assert block.desk.store.undo_name == "infill density 30 %"
    press(page, "sweep trial")
    block.wait(lambda: block.desk.trials.shown is not None and not block.desk.trials.running)
    trial = block.desk.trials.shown
    assert trial.time == pytest.approx(rows[2]["time_s"])
    assert trial.mass == pytest.approx(rows[2]["mass_g"])


def test_it_is_stopped_and_what_is_done_stays_and_is_saved(block, page, tmp_path):
    type_into(page, "sweep step", "1")
    press(page, "sweep start")
    block.wait(lambda: len(block.desk.sweeping.rows) >= 2)
    press(page, "sweep stop")
    done = len(block.desk.sweeping.rows)
    assert "stopped, what is done stays" in told(page)
    block.qtbot.wait(300)
    assert len(block.desk.sweeping.rows) == done
    target = tmp_path / "table.csv"
    answer(block, target)
    press(page, "sweep save")
    block.wait(target.exists)
    table = list(csv.DictReader(target.read_text().splitlines()))
    assert [float(row["mass_g"]) for row in table] == [row["mass_g"] for row in block.desk.sweeping.rows]


def test_another_job_begins_without_it(block, page):
    swept(block, page)
    block.window.files.new()
    assert block.desk.sweeping.rows == []
    assert not page.findChild(QPushButton, "sweep take").isEnabled()


def test_two_settings_make_a_curve_for_each_value_of_the_second_and_words_stand_along_x(block, page):
    page._of.pick("infill.pattern")
    page._second.pick("walls.count")
    type_into(page, "sweep second from", "2")
    type_into(page, "sweep second to", "3")
    assert told(page).startswith("20 slices")
    type_into(page, "sweep second to", "2")
    swept(block, page)
    curve = page.findChild(Curve)
    assert [one.name for one in curve._series] == ["2"]
    assert list(curve._series[0].x) == list(range(10))
    ticks = curve._plot.getPlotItem().getAxis("bottom")._tickLevels[0]
    assert ("gyroid" in {name for _, name in ticks}) is True


def test_what_cannot_be_is_told_before_anything_is_sliced(block, page):
    page._of.pick("motion.print_speed")
    type_into(page, "sweep to", "990")
    assert "outside" in told(page) or "up to" in told(page)
    assert not page.findChild(QPushButton, "sweep start").isEnabled()


def test_a_line_that_fits_a_comb_is_found(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "comb.stl", comb(4, 1.25, 2.0, 1.0)))
    hand.desk.store.do("constant", hand.desk.job.with_settings({"walls.vary_width": False}))
    hand.window.run("trials.sweep")
    page = hand.find(SweepPage, "sweep")
    page._of.choice.setCurrentIndex(0)
    page._of.choice.activated.emit(0)
    rows = swept(hand, page)
    best = hand.desk.sweeping.best
    assert best["void_mm2"] <= rows[0]["void_mm2"] / 10
    assert told(page).startswith("Best: ")
    press(page, "sweep take")
    assert hand.desk.job.settings["walls.line_width"] == best["walls.line_width"]


def test_the_least_density_that_carries_the_top_is_found(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "tray.stl", box(50, 50, 4)))
    hand.window.run("trials.sweep")
    page = hand.find(SweepPage, "sweep")
    page._of.choice.setCurrentIndex(1)
    page._of.choice.activated.emit(1)
    rows = swept(hand, page)
    least = hand.desk.sweeping.best["infill.density"]
    sags = {row["infill.density"]: bool(row["findings"].get("top-sags")) for row in rows}
    assert 2 < least < 12
    assert all(sags[density] == (density < least) for density in sags)
