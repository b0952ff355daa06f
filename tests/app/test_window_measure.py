"""Measuring in the real window, and sizing by a measured length."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from even_step.core.job.spots import copy_at

Held = Qt.KeyboardModifier


def corner_seen(hand, x, y):
    """Where an upper corner of the first part is seen; x and y are −1 or 1."""
    part = hand.canvas.scene.parts[0]
    low, high = part.box
    place = [(low[0] if x < 0 else high[0]), (low[1] if y < 0 else high[1]), high[2]]
    middle = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2]]
    seen = hand.canvas.camera.project([place, middle])
    toward = seen[1, :2] - seen[0, :2]
    at = seen[0, :2] + 5 * toward / np.linalg.norm(toward)  # a little within, where the corner draws it
    return QPoint(round(at[0]), round(at[1]))


def text(hand, name):
    return hand.find(object, f"measured {name}").text()


@pytest.fixture
def measured(block):
    """The long upper edge of a block of 30 × 20 × 10 mm, measured."""
    block.canvas.setFocus()
    block.key(Qt.Key.Key_M)
    for x in (-1, 1):
        block.click_canvas(corner_seen(block, x, -1))
        block.wait(lambda: not block.desk.background.busy)
    return block


def test_two_clicks_near_corners_measure_between_them(measured):
    assert text(measured, "distance") == "30.000 mm"
    assert text(measured, "along X") == "30.000 mm"
    assert text(measured, "along Y") == "0.000 mm"
    assert text(measured, "between the faces") == "180.0°"
    assert text(measured, "thickness") == "10.000 mm"


def test_the_typed_length_sizes_the_part_with_all_its_axes(measured):
    measured.type_into("wanted length", "6 in")
    assert measured.desk.store.undo_name == "size block by a length"
    assert measured.desk.stand(measured.spot()).size == pytest.approx(np.array([30, 20, 10]) * 152.4 / 30)
    assert text(measured, "distance") == "152.400 mm"
    measured.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert measured.desk.stand(measured.spot()).size == pytest.approx([30, 20, 10])


def test_the_points_follow_their_part_and_escape_lets_go(measured):
    before = measured.desk.measuring.on_bed()
    measured.canvas.setFocus()
    measured.key(Qt.Key.Key_Right)
    after = measured.desk.measuring.on_bed()
    assert np.array(after) - before == pytest.approx(np.array([[1, 0, 0]] * 2))
    measured.key(Qt.Key.Key_Escape)
    assert measured.desk.measuring.points == ()
    assert measured.desk.view.tool == "move"


def test_measuring_never_drags_a_part(measured):
    at = copy_at(measured.desk.job, measured.spot()).at
    measured.press_and_drag(measured.seen(measured.spot(), 1.0), measured.seen(measured.spot(), 1.0) + QPoint(60, 0))
    assert copy_at(measured.desk.job, measured.spot()).at == at


def test_a_removed_part_takes_its_points_along(measured):
    measured.canvas.setFocus()
    measured.key(Qt.Key.Key_Delete)
    assert measured.desk.measuring.points == ()
