"""The station Supports by real events: what hangs, how it is held, what that comes to."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QPushButton

from even_step.app.stations.layers import LayersStation
from even_step.app.stations.supports import SupportsStation
from even_step.core.job import edits
from even_step.core.job.by_hand import Mark
from even_step.core.toolpath.gaps import pieces_of
from even_step.core.toolpath.roles import SUPPORT_CONTACT
from tests.hung import over_another, tee
from tests.shapes import box, write_stl


@pytest.fixture
def arm(hand, tmp_path):
    """The window with a part that hangs and one that does not, at the station."""
    hand.drop(write_stl(tmp_path / "arm.stl", tee()))
    hand.drop(write_stl(tmp_path / "block.stl", box()))
    hand.drawn()
    hand.desk.view.set("station", "Supports")
    hand.wait(lambda: hand.desk.foreseen.is_known)
    return hand


def words(hand):
    sheet = hand.window.findChild(SupportsStation)
    return " ".join(label.text() for label in sheet.findChildren(QLabel) if label.isVisible())


def test_what_hangs_is_told_by_part_before_anything_is_sliced(arm):
    hand = arm
    hand.wait(lambda: "≈ 400 mm²" in words(hand))  # nothing is held
    told = words(hand)
    assert "400 mm²" in told
    assert hand.window.findChild(QPushButton, f"pose {hand.part(0)}") is not None
    assert hand.window.findChild(QPushButton, f"pose {hand.part(1)}") is None, "a block has nothing that hangs"
    assert len(hand.desk.foreseen.corners) == 0


def test_a_click_holds_it_and_the_columns_are_seen_at_once(arm):
    hand = arm
    hand.click("kind sheet", QPushButton)
    assert hand.desk.job.settings["supports.kind"] == "sheet"
    assert hand.desk.store.undo_name == "supports sheet"
    hand.wait(lambda: hand.desk.foreseen.is_known and len(hand.desk.foreseen.corners) > 0)
    corners = hand.desk.foreseen.corners
    assert np.ptp(corners[:, :, 2]) == pytest.approx(20.0, abs=0.5), "from the bed to the arms"
    hand.wait(lambda: "≈ 0 mm²" in words(hand))
    hand.drawn()
    assert len(hand.canvas.scene.columns) == len(corners)
    hand.window.run("edit.undo")
    hand.wait(lambda: hand.desk.foreseen.is_known)
    assert len(hand.desk.foreseen.corners) == 0


def test_the_tally_is_of_the_slice_once_there_is_one(arm):
    hand = arm
    hand.click("kind grid", QPushButton)
    trial = hand.slice()
    hand.desk.view.set("station", "Supports")
    hand.wait(lambda: f"trial {trial.number}" in words(hand) and "slimmest" in words(hand))
    told = words(hand)
    held = trial.report["parts"][0]["supports"]
    assert f"{held['contact_mm2']:.0f} mm²" in told
    assert held["unheld_mm2"] < 4.0
    assert held["slimmest_height_mm"] == pytest.approx(19.8, abs=0.3)
    hand.click("kind sheet", QPushButton)
    hand.wait(lambda: "foreseen" in words(hand))  # the job has changed since


def test_only_the_picked_part_is_held(arm):
    hand = arm
    hand.desk.selection.pick([hand.spot(0)])
    hand.click("scope part", QPushButton)
    hand.click("kind sheet", QPushButton)
    assert hand.desk.job.settings.get("supports.kind") is None
    assert hand.desk.job.parts[0].settings == {"supports.kind": "sheet"}


def test_pose_leads_to_the_proposals(arm):
    hand = arm
    hand.click(f"pose {hand.part(0)}", QPushButton)
    assert (hand.desk.view.station, hand.desk.view.tool) == ("Parts", "pose")
    assert hand.desk.selection.parts == (hand.part(0),)


def test_lines_without_effect_say_why(arm):
    hand = arm
    lines = hand.window.findChild(SupportsStation).lines
    assert lines["supports.margin"]._origin.text() == "idle"
    assert "there are no supports" in lines["supports.margin"]._origin.toolTip()
    hand.click("kind sheet", QPushButton)
    assert lines["supports.margin"]._origin.text() == "default"
    assert "only for tree" in lines["supports.branch_angle"]._origin.toolTip()
    hand.click("kind tree", QPushButton)
    assert lines["supports.branch_angle"]._origin.text() == "default"
    assert "only for sheet and grid" in lines["supports.margin"]._origin.toolTip()


def points_at(hand, place):
    """Move the pointer to where a place is seen; whether the lens has looked there."""
    x, y, _ = hand.canvas.camera.project(place[None])[0]
    # Sent to the canvas: a pointer that is moved on the display arrives whenever that display likes.
    at, none = QPointF(round(x), round(y)), Qt.MouseButton.NoButton
    over = QPointF(hand.canvas.mapToGlobal(at.toPoint()))
    QApplication.sendEvent(
        hand.canvas, QMouseEvent(QEvent.Type.MouseMove, at, over, none, none, Qt.KeyboardModifier.NoModifier)
    )
    lens = hand.window.area.lens
    hand.wait(lambda: not lens.searching)
    return lens.found is not None


def test_the_gap_lens_tells_three_distances_of_what_is_under_the_pointer(arm):
    hand = arm
    hand.click("kind sheet", QPushButton)
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    hand.drawn()
    lens, told = hand.window.area.lens, []
    assert not lens.isVisible()
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_L)
    assert lens.isVisible()
    ends = pieces_of(trial.lines.points, (SUPPORT_CONTACT,))
    for place in ends[:: len(ends) // 8].mean(axis=1):
        hand.wait(lambda place=place: points_at(hand, place))
        told.append(lens.told)
    assert any("above 0.20" in one for one in told), told
    assert all("on the bed" in one for one in told)
    hand.key(Qt.Key.Key_S)
    hand.drawn()
    hand.wait(lambda: lens.found is not None or "no support" in lens.told)
    hand.click("gap lens", QPushButton)
    assert not lens.isVisible()


def test_kinds_are_compared_as_trials(arm):
    hand = arm
    hand.click("compare kinds", QPushButton)
    hand.wait(lambda: len(hand.desk.trials.all) == 3 and not hand.desk.trials.running)
    kinds = [trial.job.settings["supports.kind"] for trial in hand.desk.trials.all]
    assert kinds == ["sheet", "grid", "tree"]
    assert "supports.kind" not in hand.desk.job.settings, "the job is what it was"


def test_the_remedy_of_what_hangs_is_a_button(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "arm.stl", over_another()))
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    number = next(i for i, one in enumerate(trial.report["findings"]) if one["code"] == "overhang-unheld")
    made = hand.find(QPushButton, f"fix {number}")
    hand.wait(lambda: made.height() > 10 and made.isVisible())
    hand.window.findChild(LayersStation).ensureWidgetVisible(made)
    hand.click(f"fix {number}", QPushButton)
    assert hand.desk.job.parts[0].settings == {"supports.kind": "sheet"}
    again = hand.slice()
    assert "overhang-unheld" not in {one["code"] for one in again.report["findings"]}
    assert again.report["volume_by_role_mm3"]["support"] > 0


def test_a_slim_column_is_widened_by_a_button_and_the_post_taken_away_again(hand, tmp_path):
    mast = np.concatenate((box(10, 10, 64), box(4, 2, 3, (6.5, 0, 60))))
    hand.drop(write_stl(tmp_path / "mast.stl", mast))
    hand.desk.store.do("thin", hand.desk.job.with_settings({"supports.kind": "sheet", "supports.slim_width": 0.0}))
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    number = next(i for i, one in enumerate(trial.report["findings"]) if one["code"] == "support-slim")
    made = hand.find(QPushButton, f"fix {number}")
    assert made.text() == "Widen this column under mast"
    hand.wait(lambda: made.height() > 10 and made.isVisible())
    hand.window.findChild(LayersStation).ensureWidgetVisible(made)
    hand.click(f"fix {number}", QPushButton)
    (post,) = hand.desk.job.parts[0].posts
    assert post.id
    assert post.at[2] == pytest.approx(60.0)
    assert "support-slim" not in {one["code"] for one in hand.slice().report["findings"]}
    hand.desk.view.set("station", "Supports")
    hand.wait(lambda: "1 post on mast" in words(hand))
    hand.click(f"take away by hand {hand.part(0)}", QPushButton)
    assert hand.desk.job.parts[0].posts == ()
    assert hand.desk.store.undo_name == "posts and marks away"


def test_the_tally_tells_what_is_kept_clear_and_what_show_faces_cost(arm):
    hand = arm
    clear = Mark(kind="keep-clear", near=(13.0, 0.0, 20.0), radius=4.0)
    show = Mark(kind="show", near=(-13.0, 0.0, 20.0), radius=4.0)
    job = edits.with_part(hand.desk.job, hand.part(0), marks=(clear, show))
    hand.desk.store.do("marks", job.with_settings({"supports.kind": "sheet", "supports.show_contact": 80.0}))
    hand.wait(lambda: hand.desk.foreseen.is_known and "kept clear" in words(hand))
    assert "≈ 50 mm²" in words(hand)
    assert "2 marks on arm" in words(hand)
    trial = hand.slice()
    hand.desk.view.set("station", "Supports")
    hand.wait(lambda: f"trial {trial.number}" in words(hand))
    shown = trial.report["parts"][0]["supports"]["contact_show_mm2"]
    assert 5.0 < shown < 51.0
    assert f"on show faces {shown:.0f} mm²" in words(hand)


def test_the_kind_is_chosen_by_keyboard_alone(arm):
    hand = arm
    button = hand.find(QPushButton, "kind sheet")
    button.setFocus(Qt.FocusReason.TabFocusReason)
    QTest.keyClick(button, Qt.Key.Key_Space)
    assert hand.desk.job.settings["supports.kind"] == "sheet"
