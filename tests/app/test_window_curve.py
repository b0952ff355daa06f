"""The step curve in the window: knots drawn, dragged, stretched and taken away over the ruler, and by figures."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from even_step.app.widgets.fields import NumberField
from tests.shapes import box, write_stl


@pytest.fixture
def tower(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "tower.stl", box(20, 20, 40)))
    hand.desk.view.set("station", "Recipe")
    hand.key(Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    hand.wait(hand.window.area.curve.isVisible)
    return hand


def knots(hand):
    return hand.desk.job.parts[0].curve


def spot(hand, height, z):
    curve = hand.window.area.curve
    return QPoint(round(curve.x_of(height)), round(curve.y_of(z)))


def drag(hand, start, *ways):
    curve = hand.window.area.curve
    QTest.mousePress(curve, Qt.MouseButton.LeftButton, pos=start)
    for place in ways:
        QTest.mouseMove(curve, place)
    QTest.mouseRelease(curve, Qt.MouseButton.LeftButton, pos=ways[-1] if ways else start)


def thickness(hand, z):
    found = hand.desk.foreseen_heights.of_part(hand.part())
    if found is None or not (0 < z < found[0][-1]):
        return -1.0
    return float(found[1][int(np.searchsorted(found[0], z))])


def test_a_press_puts_a_knot_and_dragging_it_is_one_step(tower):
    hand = tower
    drag(hand, spot(hand, 0.2, 20), spot(hand, 0.15, 20), spot(hand, 0.1, 22))
    (knot,) = knots(hand)
    assert knot.height == pytest.approx(0.1, abs=0.006)
    assert (knot.low + knot.high) / 2 == pytest.approx(22, abs=0.3)
    hand.wait(lambda: thickness(hand, 22) == pytest.approx(knot.height, abs=0.003))
    assert thickness(hand, 10) == pytest.approx(0.2)
    hand.window.run("edit.undo")
    assert knots(hand) == ()
    hand.window.run("edit.redo")
    assert knots(hand) == (knot,)
    assert hand.canvas.scene.parts[0].bands is not None or hand.wait(
        lambda: hand.canvas.scene.parts[0].bands is not None
    )


def test_its_ends_stretch_it_and_delete_takes_it_away(tower):
    hand = tower
    drag(hand, spot(hand, 0.1, 20))
    (knot,) = knots(hand)
    drag(hand, spot(hand, knot.height, knot.high), spot(hand, knot.height, 30))
    (wider,) = knots(hand)
    assert wider.high == pytest.approx(30, abs=0.3)
    assert (wider.low, wider.height) == (knot.low, knot.height)
    drag(hand, spot(hand, 0.1, knot.low), spot(hand, 0.1, 10))
    assert knots(hand)[0].low == pytest.approx(10, abs=0.3)
    curve = hand.window.area.curve
    QTest.keyClick(curve, Qt.Key.Key_Right)
    assert knots(hand)[0].height == pytest.approx(knot.height + 0.01)
    QTest.keyClick(curve, Qt.Key.Key_Up)
    assert knots(hand)[0].high == pytest.approx(wider.high + 0.5, abs=0.02)
    QTest.keyClick(curve, Qt.Key.Key_Delete)
    assert knots(hand) == ()
    QTest.keyClick(curve, Qt.Key.Key_Escape)
    assert not curve.isVisible()


def test_the_minutes_it_costs_stand_beside_it_once_something_is_sliced(tower):
    hand = tower
    drag(hand, spot(hand, 0.1, 20))
    knot = knots(hand)[0]
    assert hand.desk.curving.gained(knot) is None
    hand.window.run("edit.undo")
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: hand.desk.trials.shown is not None)
    hand.desk.view.set("station", "Recipe")
    hand.window.run("edit.redo")
    told = hand.desk.curving.gained(knot)
    before = hand.desk.trials.shown.time
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: len(hand.desk.trials.all) == 2 and hand.desk.trials.shown is hand.desk.trials.all[-1])
    assert told == pytest.approx(hand.desk.trials.shown.time - before, rel=0.25)


def test_by_figures_smoothed_and_back(tower):
    hand = tower
    hand.click("add knot")
    hand.click("add knot")
    assert [(knot.low, knot.high, knot.height) for knot in knots(hand)] == [(0, 2, 0.2), (2, 4, 0.2)]
    hand.type_into("knot 1 low", "10")
    assert knots(hand)[1].low == 2, "it would end below where it begins"
    hand.type_into("knot 1 height", "20")
    assert knots(hand)[1].height == 0.2, "no layer is so thick"
    hand.type_into("knot 1 high", "20")
    hand.type_into("knot 1 low", "10")
    hand.type_into("knot 1 height", "0.1")
    assert (knots(hand)[1].low, knots(hand)[1].high, knots(hand)[1].height) == (10, 20, 0.1)
    hand.click("smooth curve")
    assert len(knots(hand)) > 4
    hand.window.run("edit.undo")
    assert len(knots(hand)) == 2
    assert hand.find(NumberField, "knot 1 high").value == 20
    hand.click("remove knot 0")
    assert len(knots(hand)) == 1
    hand.click("reset curve")
    assert knots(hand) == ()


def test_three_ways_are_sliced_by_one_action(tower):
    hand = tower
    hand.window.run("slice.heights_compared")
    hand.wait(lambda: len(hand.desk.trials.all) == 3)
    coarse, fine, between = (trial.time for trial in hand.desk.trials.all)
    assert coarse < fine
    assert coarse <= between < fine
    assert "layer height 0.3 → 0.1 mm" in hand.desk.trials.all[1].changed
    assert hand.desk.job.settings == {}, "the job stays as it is"
