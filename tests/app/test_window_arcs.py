"""Turning by the arcs on the canvas, with real presses and moves."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from even_step.app.canvas.arcs import Arc
from even_step.core.job.spots import copy_at

Held = Qt.KeyboardModifier
LEFT = Qt.MouseButton.LeftButton


def place_on(hand, arc, degrees):
    """Where on the screen an arc is at some degrees from its middle."""
    angle = np.radians((arc.first + arc.last) / 2 + degrees)
    point = arc.middle.copy()
    point[(arc.axis + 1) % 3] += arc.radius * np.cos(angle)
    point[(arc.axis + 2) % 3] += arc.radius * np.sin(angle)
    x, y, _ = hand.canvas.camera.project([point])[0]
    return QPointF(x, y)


@pytest.fixture
def turning(block):
    block.click_canvas(block.seen(block.spot()))
    block.canvas.setFocus()
    block.key(Qt.Key.Key_E)
    block.canvas.setFocus()
    block.drawn()
    return block


def arc_about(hand, axis) -> Arc:
    return next(arc for arc in hand.canvas.gestures.arcs.shown if arc.axis == axis)


def pull(hand, arc, degrees, modifier=Held.NoModifier, *, let_go=True):
    QTest.mousePress(hand.canvas, LEFT, modifier, place_on(hand, arc, 0.0).toPoint())
    for share in (0.3, 0.7, 1.0):
        at = place_on(hand, arc, degrees * share)
        event = QMouseEvent(
            QEvent.Type.MouseMove, at, hand.canvas.mapToGlobal(at), Qt.MouseButton.NoButton, LEFT, modifier
        )
        QGuiApplication.sendEvent(hand.canvas, event)
        QApplication.processEvents()
    if let_go:
        QTest.mouseRelease(hand.canvas, LEFT, modifier, place_on(hand, arc, degrees).toPoint())
        hand.drawn()


@pytest.mark.parametrize(("pulled", "turned"), [(50.0, 45.0), (-34.0, -30.0)])
def test_an_arc_turns_in_steps_of_fifteen_degrees_as_one_step_of_undo(turning, pulled, turned):
    pull(turning, arc_about(turning, 2), pulled)
    assert copy_at(turning.desk.job, turning.spot()).turn == turned
    assert turning.desk.store.undo_name == "turn block"
    turning.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert copy_at(turning.desk.job, turning.spot()).turn == 0.0
    assert turning.desk.store.undo_name == "bring in block"


def test_with_ctrl_it_turns_freely(turning):
    pull(turning, arc_about(turning, 2), 20.0, Held.ControlModifier)
    assert copy_at(turning.desk.job, turning.spot()).turn == pytest.approx(20.0, abs=1.0)
    assert copy_at(turning.desk.job, turning.spot()).turn % 15.0 != 0.0


@pytest.mark.parametrize("axis", [0, 1])
def test_arcs_about_the_beds_axes_tip_the_part_and_set_it_down(turning, axis):
    pull(turning, arc_about(turning, axis), 31.0)
    assert turning.desk.job.parts[0].turn[axis] == 30.0
    stand = turning.desk.stand(turning.spot())
    corners = turning.desk.shelf.model(turning.desk.job.parts[0]).extremes @ stand.matrix[:3, :3].T
    assert (corners[:, 2] + stand.matrix[2, 3]).min() == pytest.approx(0.0, abs=1e-9)


def test_escape_while_pulling_turns_back_and_leaves_no_step(turning):
    before = turning.desk.job
    pull(turning, arc_about(turning, 2), 50.0, let_go=False)
    assert copy_at(turning.desk.job, turning.spot()).turn == 45.0
    turning.key(Qt.Key.Key_Escape)
    assert turning.desk.job == before
    assert turning.desk.store.undo_name == "bring in block"


def test_there_and_back_gives_the_same_coordinates(turning):
    before = turning.desk.stand(turning.spot()).matrix
    for axis in (0, 1, 2):
        for degrees in (50.0, -50.0):
            pull(turning, arc_about(turning, axis), degrees)
        assert turning.desk.stand(turning.spot()).matrix == pytest.approx(before, abs=1e-6)


def test_beside_the_arcs_a_click_still_picks_and_lets_go(turning):
    turning.click_canvas(QPoint(20, turning.canvas.height() - 20))
    assert turning.desk.selection.spots == ()
    assert turning.canvas.gestures.arcs.shown == []
