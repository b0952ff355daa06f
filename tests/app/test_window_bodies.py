"""Assemblies in the window: bodies listed, picked, hidden, split off, joined; a repair done and undone."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from even_step.core.job.edits import moved
from even_step.core.job.shipped import DATA

DEMO = DATA / "demo"
Held = Qt.KeyboardModifier


@pytest.fixture
def arrow(hand):
    """The window with the wind arrow, an assembly of four bodies, on the bed and in hand."""
    hand.drop(DEMO / "wind_arrow.3mf")
    hand.desk.selection.pick([hand.spot()])
    hand.drawn()
    return hand


def seen_body(hand, body):
    """Where the top of a body is seen on the canvas."""
    shape = hand.canvas.scene.parts[0]
    corners = shape.model.bodies[body].extremes @ shape.matrix[:3, :3].T + shape.matrix[:3, 3]
    middle = [*((corners.min(axis=0) + corners.max(axis=0)) / 2)[:2], corners[:, 2].max()]
    x, y, _ = hand.canvas.camera.project(np.array([middle]))[0]
    return QPoint(round(x), round(y))


def test_bodies_are_listed_and_picked_in_the_list(arrow):
    told = [row.accessibleName() for row in arrow.window.parts.rows.bodies]
    assert [line.split(",")[0] for line in told] == ["shaft", "point", "tail", "hub"]
    assert "14 × 14 × 9" in told[3]
    arrow.click(f"part {arrow.part()} body 2")
    assert arrow.desk.selection.body == 2
    assert arrow.desk.selection.spots == (arrow.spot(),)
    arrow.click(f"part {arrow.part()} body 2")
    assert arrow.desk.selection.body is None


def test_a_further_click_on_the_canvas_picks_the_body_under_the_pointer(arrow):
    arrow.desk.selection.pick(())
    arrow.drawn()
    arrow.click_canvas(seen_body(arrow, 3))
    assert (arrow.desk.selection.spots, arrow.desk.selection.body) == ((arrow.spot(),), None)
    arrow.click_canvas(seen_body(arrow, 3))
    assert arrow.desk.selection.body == 3
    arrow.click_canvas(seen_body(arrow, 2))
    assert arrow.desk.selection.body == 2
    arrow.click_canvas(seen_body(arrow, 2))
    assert arrow.desk.selection.body is None


def test_the_keyboard_alone_picks_a_body_and_hides_it(arrow):
    row = arrow.find(type(arrow.window.parts.rows.bodies[0]), f"part {arrow.part()} body 1")
    row.setFocus(Qt.FocusReason.TabFocusReason)
    arrow.key(Qt.Key.Key_Space)
    assert arrow.desk.selection.body == 1
    arrow.key(Qt.Key.Key_H)
    assert arrow.desk.job.parts[0].hidden_bodies == (1,)
    arrow.drawn()
    assert arrow.canvas.scene.parts[0].model.numbers == (0, 2, 3)
    assert row.hidden
    assert arrow.desk.store.undo_name == "hide point of wind arrow"
    arrow.key(Qt.Key.Key_H, Held.ShiftModifier)
    assert arrow.desk.job.parts[0].hidden_bodies == ()


def test_a_body_is_split_off_and_joined_again(arrow):
    before = arrow.desk.job
    arrow.click(f"part {arrow.part()} body 3")
    arrow.click("split body")
    arrow.wait(lambda: len(arrow.desk.job.parts) == 2)
    arrow.drawn()
    assert [part.bodies for part in arrow.desk.job.parts] == [(0, 1, 2), (3,)]
    assert arrow.desk.stand(arrow.spot(1)).size == pytest.approx([14, 14, 9])
    assert arrow.desk.selection.spots == (arrow.spot(1),)
    assert arrow.desk.store.undo_name == "split hub off wind arrow"
    assert not any(shape.fault for shape in arrow.canvas.scene.parts)
    arrow.desk.selection.pick([arrow.spot(), arrow.spot(1)])
    QApplication.processEvents()
    arrow.click("join bodies")
    assert arrow.desk.job.parts == before.parts
    arrow.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert len(arrow.desk.job.parts) == 2


def test_split_all_makes_a_part_of_every_body_in_one_step(arrow):
    before = arrow.desk.job
    arrow.click("split all")
    arrow.wait(lambda: len(arrow.desk.job.parts) == 4)
    arrow.drawn()
    assert [part.name for part in arrow.desk.job.parts] == ["shaft", "point", "tail", "hub"]
    arrow.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert arrow.desk.job == before


def test_a_repair_is_done_and_undone(hand):
    hand.drop(DEMO / "torn_knob.stl")
    hand.desk.selection.pick([hand.spot()])
    told = hand.window.parts._told._told
    assert "74 edges lack a neighbour" in told.text()
    assert "flipped facets were turned" in told.text()
    hand.click("repair")
    hand.wait(lambda: hand.desk.job.parts[0].repair == "all")
    hand.drawn()
    assert "holes were closed" in told.text()
    assert "lack a neighbour" not in told.text()
    assert hand.canvas.scene.parts[0].model.closed
    hand.click("undo repair")
    hand.wait(lambda: hand.desk.job.parts[0].repair == "none")
    hand.drawn()
    assert "flipped facets could be turned" in told.text()
    assert hand.desk.store.undo_name == "undo the repair of torn_knob"
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert hand.desk.job.parts[0].repair == "all"


def test_the_list_is_sorted_as_wished(hand):
    hand.drop(DEMO / "sensor_lid.stl", DEMO / "bearing_hub.stl", DEMO / "mast_bracket.step")

    def names():
        return [row.name for row in hand.window.parts.rows.rows]

    order = hand.find(type(hand.window.parts.rows._order), "sorted")
    assert names() == ["sensor_lid", "bearing_hub", "mast_bracket"]
    order.setFocus()
    for expected in (
        ["bearing_hub", "mast_bracket", "sensor_lid"],
        ["mast_bracket", "bearing_hub", "sensor_lid"],
        ["sensor_lid", "mast_bracket", "bearing_hub"],
    ):
        hand.key(Qt.Key.Key_Down)
        QApplication.processEvents()
        assert names() == expected


def test_arrows_walk_through_the_list_and_enter_picks(arrow):
    before = arrow.desk.job
    arrow.desk.selection.pick([arrow.spot()])
    first = arrow.window.parts.rows.rows[0]
    first.setFocus(Qt.FocusReason.TabFocusReason)
    arrow.key(Qt.Key.Key_Down)
    arrow.key(Qt.Key.Key_Down)
    assert QApplication.focusWidget() is arrow.window.parts.rows.bodies[1]
    arrow.key(Qt.Key.Key_Return)
    assert arrow.desk.selection.body == 1
    arrow.key(Qt.Key.Key_Up)
    assert QApplication.focusWidget() is arrow.window.parts.rows.bodies[0]
    assert arrow.desk.job == before


@pytest.mark.parametrize("way", ["F2", "double click"])
def test_a_part_is_renamed_in_the_list(arrow, way):
    row = arrow.window.parts.rows.rows[0]
    row.setFocus(Qt.FocusReason.TabFocusReason)
    if way == "F2":
        arrow.canvas.setFocus()
        arrow.key(Qt.Key.Key_F2)
    else:
        QTest.mouseDClick(row, Qt.MouseButton.LeftButton)
    field = arrow.find(QLineEdit, "new name")
    QTest.keyClicks(field, "weather arrow")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert arrow.desk.job.parts[0].name == "weather arrow"
    assert row.name == "weather arrow"
    arrow.key(Qt.Key.Key_F2)
    field = arrow.find(QLineEdit, "new name")
    QTest.keyClicks(field, "something else")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert arrow.desk.job.parts[0].name == "weather arrow"
    arrow.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert arrow.desk.job.parts[0].name == "wind arrow"


@pytest.mark.parametrize("wrong", [{"bodies": (9,)}, {"object": 3}])
def test_a_part_that_its_file_does_not_hold_is_told(hand, tmp_path, wrong):
    path = tmp_path / "job.toml"
    table = "".join(f"{key} = {list(value) if isinstance(value, tuple) else value}\n" for key, value in wrong.items())
    path.write_text(
        f'[[parts]]\nname = "ghost"\nfile = "{DEMO / "wind_arrow.3mf"}"\n{table}copies = [{{at = [50, 50]}}]\n'
    )
    hand.window.files.open(str(path))
    hand.wait(lambda: "ghost is not in wind_arrow.3mf" in hand.window.strip.button.below)
    assert "not in its file" in hand.window.parts.rows.rows[0].accessibleName()
    hand.click(f"part {hand.part()}")
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Delete)
    assert hand.desk.job.parts == ()


def test_a_locked_assembly_is_not_taken_apart(arrow):
    arrow.key(Qt.Key.Key_K)
    before = arrow.desk.job
    arrow.click("split all")
    arrow.wait(lambda: "is locked" in arrow.window.area.notes.text)
    arrow.drawn()
    assert arrow.desk.job == before


def test_a_repair_overtaken_by_another_edit_is_told(hand):
    hand.drop(DEMO / "torn_knob.stl")
    hand.desk.selection.pick([hand.spot()])
    QApplication.processEvents()
    hand.click("repair")
    hand.desk.store.do("nudge", moved(hand.desk.job, [hand.spot()], (1.0, 0.0)))
    hand.wait(lambda: "changed meanwhile" in hand.window.area.notes.text)
    assert hand.desk.job.parts[0].repair == "winding"
