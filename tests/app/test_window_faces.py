"""The face under the pointer lights up and a click lays it on the bed."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication, QMouseEvent

from even_step.core.mesh.turning import turn_matrix
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


def hover(hand, at):
    point = QPointF(at)
    none = Qt.MouseButton.NoButton
    event = QMouseEvent(QEvent.Type.MouseMove, point, hand.canvas.mapToGlobal(point), none, none, Held.NoModifier)
    QGuiApplication.sendEvent(hand.canvas, event)
    hand.wait(lambda: not hand.desk.background.busy)


@pytest.fixture
def leaning(hand, tmp_path):
    """A block that lies on no side, with the tool that lays faces down in hand."""
    matrix = turn_matrix((25.0, -35.0, 10.0))
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 20, 10) @ matrix.T))
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_D)
    hand.canvas.setFocus()
    return hand


def test_the_face_under_the_pointer_lights_up_and_goes_out(leaning):
    hover(leaning, leaning.seen(leaning.spot()))
    lit = leaning.canvas.gestures.faces.lit
    assert lit is not None
    assert lit.spot == leaning.spot()
    assert len(lit.corners) == 2
    hover(leaning, QPoint(10, leaning.canvas.height() - 10))
    assert leaning.canvas.gestures.faces.lit is None
    hover(leaning, leaning.seen(leaning.spot()))
    leaning.key(Qt.Key.Key_Escape)
    assert leaning.canvas.gestures.faces.lit is None
    assert leaning.desk.view.tool == "turn"


def test_a_clicked_face_lies_within_a_hundredth_of_a_millimetre_on_the_bed(leaning):
    at = leaning.seen(leaning.spot())
    hover(leaning, at)
    before = leaning.canvas.gestures.faces.lit.corners
    leaning.click_canvas(at)
    leaning.drawn()
    stand = leaning.desk.stand(leaning.spot())
    model = leaning.desk.shelf.model(leaning.desk.job.parts[0])
    heights = model.mesh.vertices @ stand.matrix[2, :3] + stand.matrix[2, 3]
    assert (heights < 0.01).sum() == 4
    assert heights.min() >= -1e-9
    lowest = model.mesh.vertices[heights < 0.01]
    sides = sorted(np.linalg.norm(lowest - lowest[0], axis=1))[1:3]
    lit = before.reshape(-1, 3)
    assert sides[-1] <= np.linalg.norm(np.ptp(lit, axis=0)) + 1e-6
    assert leaning.desk.store.undo_name == "face of block down"
