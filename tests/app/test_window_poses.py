"""Pose proposals in the real window."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from even_step.app.stations.pose_fields import PoseCard, PoseFields
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


def upright_table():
    legs = [box(3, 3, 20, (x, y, 0)) for x in (-12, 12) for y in (-12, 12)]
    return np.concatenate([*legs, box(30, 30, 3, (0, 0, 20))])


def proposed(hand, tmp_path):
    """Bring in a table and ask for poses with the key."""
    hand.drop(write_stl(tmp_path / "table.stl", upright_table()))
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_P)
    fields = hand.window.parts.findChild(PoseFields)
    hand.wait(lambda: not hand.desk.background.busy and not fields.cards[0].isHidden())
    return fields


def hanging(hand):
    stand = hand.desk.stand(hand.spot())
    return float(stand.matrix[2, 2])


def test_p_proposes_poses_and_a_click_stands_the_part_so(hand, tmp_path):
    fields = proposed(hand, tmp_path)
    assert hand.desk.view.tool == "pose"
    assert sum(not card.isHidden() for card in fields.cards) >= 3
    first = fields.cards[0]
    assert "on the bed" in first.accessibleName()
    assert "to hold" in first.accessibleName()
    QTest.mouseClick(first, Qt.MouseButton.LeftButton)
    hand.drawn()
    assert hanging(hand) == -1.0
    assert hand.desk.store.undo_name == "pose of table"
    assert first.isChecked()
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert hanging(hand) == 1.0
    assert not first.isChecked()


def test_what_counts_changes_what_is_proposed_first(hand, tmp_path):
    fields = proposed(hand, tmp_path)
    for name, slider in fields.sliders.items():
        slider.setValue(10 if name == "height" else 0)
    hand.wait(lambda: not hand.desk.background.busy)
    lowest = fields.cards[0].accessibleName()
    assert "23 mm high" in lowest
    fields.sliders["height"].setFocus()
    QTest.keyClick(fields.sliders["height"], Qt.Key.Key_Left)
    assert fields.sliders["height"].value() == 9


def test_a_pose_can_be_chosen_by_keyboard_alone(hand, tmp_path):
    fields = proposed(hand, tmp_path)
    card = next(card for card in fields.cards if isinstance(card, PoseCard))
    card.setFocus()
    assert card.hasFocus()
    QTest.keyClick(card, Qt.Key.Key_Space)
    hand.drawn()
    assert hanging(hand) == -1.0
