"""Layers cut open by an upright plane, parts as ghosts over them, and a rule laid on them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QPushButton

from even_step.app.canvas.line_picking import line_at
from even_step.app.cut_plane import CutPlane
from even_step.app.widgets.fields import NumberField
from even_step.core.toolpath.roles import ROLE_NUMBER
from tests.shapes import box, write_stl


@pytest.fixture
def sliced(block):
    block.slice()
    block.desk.view.set("station", "Layers")
    block.wait(lambda: block.canvas.is_whole)
    return block


def seen(hand, place):
    x, y, _ = hand.canvas.camera.project(np.array([place], np.float64))[0]
    return QPoint(round(x), round(y))


def picture_of(hand):
    hand.drawn()
    image = hand.canvas.picture.convertToFormat(hand.canvas.picture.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


def straw(picture):
    """Count points that look like infill: yellower than anything else."""
    return int((picture[:, :, 0] - picture[:, :, 2] > 50).sum())


def middle_of(hand):
    points = hand.desk.trials.shown.lines.upright_points[:, :2]
    return (points.min(axis=0) + points.max(axis=0)) / 2


def test_a_plane_takes_what_lies_beyond_it_and_moves_along_its_normal():
    plane = CutPlane((10.0, 5.0), 90.0)
    assert plane.normal == pytest.approx((0.0, 1.0))
    assert plane.takes(np.array([(0.0, 5.1), (0.0, 4.9)])).tolist() == [True, False]
    assert plane.moved(2.0).at == pytest.approx((10.0, 7.0))
    assert plane.moved(2.0).reach == pytest.approx(7.0)


def test_the_cut_shows_the_inside_and_its_figures_move_and_turn_it(sliced):
    hand = sliced
    hand.canvas.look_from(replace(hand.canvas.camera, yaw=0.0, pitch=20.0))
    closed = straw(picture_of(hand))
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_C)
    plane = hand.desk.view.plane
    assert plane.at == pytest.approx(tuple(middle_of(hand)), abs=0.5)
    assert plane.way % 360 == pytest.approx(270.0)
    assert straw(picture_of(hand)) > closed + 150
    hand.key(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert hand.desk.view.plane.at[1] == pytest.approx(plane.at[1] + 1.0)
    away = hand.find(NumberField, "cut at").value
    hand.type_into("cut at", f"{away - 3:.1f}")
    assert hand.desk.view.plane.at[1] == pytest.approx(plane.at[1] + 4.0, abs=0.06)
    hand.type_into("cut way", "180")
    assert hand.desk.view.plane.normal == pytest.approx((-1.0, 0.0), abs=1e-6)
    hand.window.run("layers.cut_face")
    assert hand.desk.view.plane.way % 360 == pytest.approx(270.0)
    hand.click("cut whole")
    assert hand.desk.view.plane is None
    assert abs(straw(picture_of(hand)) - closed) < 20


def test_what_is_cut_away_is_not_asked(sliced):
    hand = sliced
    hand.canvas.look_from(replace(hand.canvas.camera, yaw=0.0, pitch=20.0))
    x, y = middle_of(hand)
    front = (x, y - 15.0, 3.0)
    at = hand.canvas.camera.project(np.array([front]))[0]
    shape = hand.canvas.scene.lines
    near = line_at(shape, hand.canvas.camera, at[0], at[1])
    assert near[1][1] < y - 14
    hand.desk.view.set("plane", CutPlane((x, y), hand.canvas.camera.toward_eye))
    cut = line_at(hand.canvas.scene.lines, hand.canvas.camera, at[0], at[1])
    assert cut is None or cut[1][1] >= y - 0.01


def test_looking_at_a_place_that_is_hidden_clears_the_way_and_at_one_in_the_open_does_not(hand, tmp_path):
    """Behind a wall as high as the layer in hand lies the place of a finding."""
    hand.drop(write_stl(tmp_path / "part.stl", np.concatenate((box(40, 4, 20, (0, -20, 0)), box(40, 20, 20)))))
    hand.slice()
    hand.desk.view.set("station", "Layers")
    lines = hand.desk.trials.shown.lines
    hand.desk.view.show_layers(0, lines.count - 1, lines.count)
    hand.canvas.look_from(replace(hand.canvas.camera, yaw=0.0, pitch=5.0))
    hand.drawn()
    low = lines.points[lines.points[:, 2] < 8]
    x, y = (float(one) for one in (low[:, :2].min(axis=0) + low[:, :2].max(axis=0)) / 2)
    hand.canvas._bring_into_view((x, y, 5.0))
    hand.wait(lambda: hand.desk.view.plane is not None)
    assert hand.desk.view.plane.cleared
    assert hand.desk.view.plane.at[1] < y
    hand.canvas._bring_into_view((x, float(low[:, 1].min()), 5.0))
    hand.wait(lambda: hand.desk.view.plane is None)


def test_ghosts_stand_over_the_layers_that_are_there_so_far(sliced):
    hand = sliced
    hand.canvas.look_from(replace(hand.canvas.camera, yaw=0.0, pitch=20.0))
    count = hand.desk.trials.shown.lines.count
    hand.desk.view.show_layers(0, 3, count)
    bare = picture_of(hand)
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Y)
    veiled = picture_of(hand)
    assert hand.find(QPushButton, "ghosts").isChecked()
    changed = np.abs(veiled - bare).max(axis=2) > 4
    assert changed.sum() > 2000
    x, y = middle_of(hand)
    above = hand.canvas.camera.project(np.array([(x, y - 15.0, 6.0)]))[0]
    assert changed[round(above[1]), round(above[0])]
    hand.key(Qt.Key.Key_Y)
    assert (picture_of(hand) == bare).all()


def test_the_rule_measures_between_corners_of_lines_and_on_bare_paper_of_a_section(sliced):
    hand = sliced
    lines = hand.desk.trials.shown.lines
    hand.desk.view.show_layers(0, 8, lines.count)
    hand.desk.view.set("section", True)
    a, b = int(lines.layer[8]), int(lines.layer[9])
    own = lines.points[a:b]
    walls = own[own[:, 5] == ROLE_NUMBER["outer-wall"]][:, :2].astype(float)
    low, high = walls.min(axis=0), walls.max(axis=0)
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_M)
    assert hand.desk.rule.in_hand
    hand.click_canvas(seen(hand, (low[0], low[1], 0.0)))
    hand.wait(lambda: len(hand.desk.rule.places) == 1)
    hand.click_canvas(seen(hand, (high[0], low[1], 0.0)))
    hand.wait(lambda: len(hand.desk.rule.places) == 2)
    (ax, ay, az), (bx, by, bz) = hand.desk.rule.places
    assert bx - ax == pytest.approx(high[0] - low[0], abs=0.01), "on the corners, not where the pointer was"
    assert (by - ay, bz - az) == pytest.approx((0.0, 0.0), abs=0.01)
    assert hand.desk.rule.reading.startswith(f"{high[0] - low[0]:.2f} mm")
    hand.click_canvas(QPoint(6, 200))
    hand.wait(lambda: len(hand.desk.rule.places) == 1)
    hand.key(Qt.Key.Key_Escape)
    assert not hand.desk.rule.in_hand
    assert hand.desk.asked_line.path == -1


def test_by_key_the_rule_takes_the_line_in_hand(sliced):
    hand = sliced
    count = hand.desk.trials.shown.lines.count
    hand.canvas.setFocus()
    hand.desk.view.show_layers(0, 4, count)
    hand.key(Qt.Key.Key_M)
    hand.key(Qt.Key.Key_Return)
    hand.key(Qt.Key.Key_Up)
    hand.key(Qt.Key.Key_Return)
    first, second = hand.desk.rule.places
    assert second[2] - first[2] == pytest.approx(0.2, abs=0.001)
    hand.desk.view.set("station", "Parts")
    assert hand.desk.rule.places == ()


def test_a_section_is_fitted_to_the_walls_until_the_user_looks_elsewhere(sliced):
    hand = sliced
    hand.desk.view.set("section", True)
    points = hand.desk.trials.shown.lines.upright_points[:, :3].astype(float)
    corners = hand.canvas.camera.project(np.array([points.min(axis=0), points.max(axis=0)]))
    wide = abs(corners[1, 0] - corners[0, 0])
    high = abs(corners[1, 1] - corners[0, 1])
    assert max(wide / hand.canvas.width(), high / hand.canvas.height()) > 0.6
    hand.canvas.look_from(hand.canvas.camera.zoomed(3.0, 100, 100))
    own = hand.canvas.camera
    hand.desk.view.set("section", False)
    hand.desk.view.set("section", True)
    assert hand.canvas.camera == own
    hand.window.run("view.fit")
    assert hand.canvas.camera.distance < own.distance / 1.5
