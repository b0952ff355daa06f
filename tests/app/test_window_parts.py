from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from even_step.core.job import edits
from even_step.core.job.shipped import DATA
from even_step.core.job.spots import copy_at
from tests.shapes import box, write_stl

DEMO = DATA / "demo"
Held = Qt.KeyboardModifier


def test_dropped_files_stand_on_the_bed_as_one_step_of_undo(hand):
    hand.drop(DEMO / "bearing_hub.stl", DEMO / "mast_bracket.step")
    assert [part.name for part in hand.desk.job.parts] == ["bearing_hub", "mast_bracket"]
    assert len(hand.canvas.scene.parts) == 2
    assert hand.desk.store.undo_name == "bring in 2 parts"
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert hand.desk.job.parts == ()
    hand.key(Qt.Key.Key_Z, Held.ControlModifier | Held.ShiftModifier)
    assert len(hand.desk.job.parts) == 2


def test_a_file_that_is_no_model_is_told_and_changes_nothing(hand, tmp_path):
    bad = tmp_path / "poem.stl"
    bad.write_text("roses are red")
    hand.drop(bad)
    assert hand.desk.job.parts == ()
    assert hand.window.area.notes.isVisible()
    assert "poem.stl" in hand.window.area.notes.text


def test_a_click_picks_a_part_and_a_click_on_paper_lets_go(block):
    block.click_canvas(QPoint(300, 620))
    assert block.desk.selection.spots == ()
    block.click_canvas(block.seen(block.spot()))
    assert block.desk.selection.spots == (block.spot(),)


def test_shift_click_adds_and_a_frame_picks_what_is_in_it(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "a.stl", box(30, 20, 10)), write_stl(tmp_path / "b.stl", box(20, 20, 10)))
    hand.click_canvas(hand.seen(hand.spot()))
    hand.click_canvas(hand.seen(hand.spot(1)), Held.ShiftModifier)
    assert set(hand.desk.selection.spots) == {hand.spot(), hand.spot(1)}
    hand.desk.selection.pick(())
    corners = QPoint(100, 60), QPoint(hand.canvas.width() - 10, hand.canvas.height() - 20)
    hand.press_and_drag(*corners, modifier=Held.ShiftModifier)
    assert set(hand.desk.selection.spots) == {hand.spot(), hand.spot(1)}


def test_dragging_a_part_slides_it_on_the_bed(block):
    before = np.array(copy_at(block.desk.job, block.spot()).at)
    start = block.seen(block.spot(), 1.0)
    block.press_and_drag(start, start + QPoint(80, 0))
    after = np.array(copy_at(block.desk.job, block.spot()).at)
    right = block.canvas.camera.axes[0][:2]
    moved = after - before
    assert moved @ right == pytest.approx(np.linalg.norm(moved), rel=0.02)
    assert 15 < np.linalg.norm(moved) < 60
    assert block.desk.store.undo_name == "move block"
    part = block.canvas.scene.parts[0]
    x, y, _ = block.canvas.camera.project([[*part.at, part.size[2]]])[0]
    assert abs(x - (start.x() + 80)) < 3
    assert abs(y - start.y()) < 3


def test_a_part_dragged_off_the_bed_or_into_another_is_marked_at_once(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "a.stl", box(30, 20, 10)), write_stl(tmp_path / "b.stl", box(20, 20, 10)))
    hand.desk.selection.pick(())
    hand.press_and_drag(hand.seen(hand.spot()), hand.seen(hand.spot(1)))
    assert {part.spot for part in hand.canvas.scene.parts if part.fault.startswith("runs into ")} == {
        hand.spot(),
        hand.spot(1),
    }
    assert hand.window.rail.steps["Parts"].mark == "stop"
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    hand.drawn()
    assert not any(part.fault for part in hand.canvas.scene.parts)
    hand.press_and_drag(hand.seen(hand.spot()), QPoint(hand.canvas.width() - 20, hand.canvas.height() - 60))
    assert any(part.fault == "off the bed" for part in hand.canvas.scene.parts)


def test_buttons_turn_by_quarters_and_fields_by_angles(block):
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_E)
    block.click("more X")
    assert block.desk.stand(block.spot()).size == pytest.approx((30, 10, 20))
    block.type_into("angle Z", "30")
    assert copy_at(block.desk.job, block.spot()).turn == 30.0
    assert block.desk.store.undo_name == "turn block"
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert block.desk.stand(block.spot()).size == pytest.approx((30, 20, 10))


def test_a_part_stands_on_the_bed_after_any_turn(block):
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_E)
    block.type_into("angle X", "33")
    stand = block.desk.stand(block.spot())
    model = block.desk.shelf.model(block.desk.job.parts[0])
    low = (model.mesh.vertices @ stand.matrix[:3, :3].T + stand.matrix[:3, 3])[:, 2].min()
    assert low == pytest.approx(0.0, abs=1e-9)


def test_a_clicked_face_lies_on_the_bed(block):
    block.canvas.setFocus()
    block.key(Qt.Key.Key_D)
    part = block.canvas.scene.parts[0]
    low, high = part.box
    side = [[(low[0] + high[0]) / 2, low[1], high[2] / 2]]
    x, y, _ = block.canvas.camera.project(side)[0]
    block.click_canvas(QPoint(round(x), round(y)))
    assert block.desk.stand(block.spot()).size == pytest.approx((30, 10, 20))
    assert block.desk.store.undo_name == "face of block down"


def test_escape_lets_go_of_a_drag_and_of_the_face_tool(block):
    job = block.desk.job
    start = block.seen(block.spot(), 1.0)
    QTest.mousePress(block.canvas, Qt.MouseButton.LeftButton, Held.NoModifier, start)
    QTest.mouseMove(block.canvas, start + QPoint(30, 0))
    block.wait(lambda: not block.desk.background.busy)
    QTest.mouseMove(block.canvas, start + QPoint(60, 0))
    assert block.canvas.dragged
    block.key(Qt.Key.Key_Escape)
    QTest.mouseRelease(block.canvas, Qt.MouseButton.LeftButton, Held.NoModifier, start + QPoint(60, 0))
    block.drawn()
    assert block.desk.job is job
    assert block.canvas.dragged == {}
    block.key(Qt.Key.Key_D)
    assert block.desk.view.tool == "face"
    block.key(Qt.Key.Key_Escape)
    assert block.desk.view.tool == "turn"


def test_size_by_millimetre_keeps_proportions_until_the_axes_are_apart(block):
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_R)
    block.type_into("length X", "60")
    assert block.desk.stand(block.spot()).size == pytest.approx((60, 40, 20))
    block.click("lock axes")
    block.type_into("percent Z", "100")
    assert block.desk.stand(block.spot()).size == pytest.approx((60, 40, 10))
    block.type_into("length Y", "1 in")
    assert block.desk.stand(block.spot()).size == pytest.approx((60, 25.4, 10))
    block.type_into("length Y", "ten")
    assert block.desk.stand(block.spot()).size == pytest.approx((60, 25.4, 10))


def test_typed_places_nudges_and_copies(block):
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_W)
    block.type_into("place X", "100/2")
    assert copy_at(block.desk.job, block.spot()).at[0] == 50.0
    block.canvas.setFocus()
    block.key(Qt.Key.Key_Right)
    block.key(Qt.Key.Key_Right)
    block.key(Qt.Key.Key_Up, Held.ShiftModifier)
    assert copy_at(block.desk.job, block.spot()).at[0] == 52.0
    block.type_into("copies", "4")
    block.drawn()
    assert len(block.desk.job.parts[0].copies) == 4
    assert not any(part.fault for part in block.canvas.scene.parts)
    block.canvas.setFocus()
    block.key(Qt.Key.Key_D, Held.ControlModifier)
    block.drawn()
    assert len(block.desk.job.parts[0].copies) == 5
    block.key(Qt.Key.Key_Delete)
    assert len(block.desk.job.parts[0].copies) == 4
    block.key(Qt.Key.Key_G)
    block.drawn()
    assert block.desk.store.undo_name == "arrange the parts"


def test_what_is_picked_stays_picked_when_a_part_before_it_goes(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "a.stl", box(30, 20, 10)), write_stl(tmp_path / "b.stl", box(20, 20, 8)))
    picked = hand.spot(1)
    hand.desk.selection.pick([picked])
    hand.desk.store.do("less", edits.removed(hand.desk.job, [hand.spot()]))
    assert hand.desk.selection.spots == (picked,) == (hand.spot(),)
    hand.key(Qt.Key.Key_Right)
    assert hand.desk.store.undo_name == "move b"


def test_a_part_in_inches_is_proposed_never_changed_unasked(hand):
    hand.drop(DEMO / "ridge_cap_inches.stl")
    before = hand.desk.stand(hand.spot()).size
    assert hand.desk.job.parts[0].unit == "mm"
    assert hand.window.rail.steps["Parts"].mark == "warn"
    hand.click(f"unit {hand.part()}")
    assert hand.desk.job.parts[0].unit == "inch"
    assert hand.desk.stand(hand.spot()).size == pytest.approx(before * 25.4)
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert hand.desk.job.parts[0].unit == "mm"


def test_what_was_mended_is_told(hand):
    hand.drop(DEMO / "torn_knob.stl")
    assert "30 flipped facets were turned" in hand.window.area.notes.text
    assert "74 edges lack a neighbour" in hand.window.area.notes.text
    hand.desk.selection.pick([hand.spot()])
    told = hand.window.parts._told._told
    assert told.isVisible()
    assert "open" in told.text()


def test_the_list_picks_all_copies_and_shows_the_figures(block):
    block.desk.selection.pick([block.spot()])
    block.type_into("copies", "3")
    block.drawn()
    block.desk.selection.pick(())
    block.click(f"part {block.part()}")
    block.drawn()
    assert len(block.desk.selection.spots) == 3
    contact = block.find(type(block.window.parts._values[0]), "figure touching the bed")
    assert contact.text() == "600.0 mm²"


def test_the_view_turns_shifts_zooms_and_comes_home(block):
    canvas = block.canvas
    home = canvas.camera
    block.press_and_drag(QPoint(400, 300), QPoint(460, 330), Qt.MouseButton.MiddleButton)
    assert canvas.camera.yaw != home.yaw
    turned = canvas.camera
    block.press_and_drag(QPoint(400, 300), QPoint(460, 330), Qt.MouseButton.RightButton)
    assert canvas.camera.yaw == turned.yaw
    assert canvas.camera.target != turned.target
    canvas.setFocus()
    block.key(Qt.Key.Key_Left, Held.ControlModifier)
    assert canvas.camera.yaw % 90 == pytest.approx(0)
    block.key(Qt.Key.Key_Home)
    assert canvas.camera.distance == pytest.approx(home.distance, rel=0.2)


def test_a_second_machine_brings_its_bed(block):
    block.key(Qt.Key.Key_1)
    block.click("machine Rowan 240 round")
    assert block.desk.job.machine.name == "Rowan 240 round"
    assert block.canvas.scene.bed.bed.shape == "round"
    field = block.find(object, "material 1")
    QTest.keyClick(field, Qt.Key.Key_Down)
    assert block.desk.job.materials[0].name != "PLA"
    assert block.desk.store.undo_name == f"load {block.desk.job.materials[0].name}"
    block.canvas.setFocus()
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert block.desk.job.machine.name == "Larch 220"
