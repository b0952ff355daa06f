"""Laying out in the real window: gather, fill, align, mirror, lock, hide, cut loose, lie flat."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest

from even_step.app.stations.layout_fields import LayoutFields
from even_step.app.widgets.fields import NumberField
from even_step.core.job.edits import moved
from even_step.core.job.spots import copy_at, spots_of
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


@pytest.fixture
def trio(hand, tmp_path):
    """Three blocks of different size on the bed, nothing picked."""
    sizes = ((30, 20, 10), (20, 20, 10), (40, 10, 20))
    hand.drop(*(write_stl(tmp_path / f"{name}.stl", box(*size)) for name, size in zip("abc", sizes, strict=True)))
    hand.desk.selection.pick(())
    hand.canvas.setFocus()
    return hand


def boxes(hand):
    out = []
    for spot in spots_of(hand.desk.job):
        at, half = np.array(copy_at(hand.desk.job, spot).at), hand.desk.stand(spot).size[:2] / 2
        out.append((*(at - half), *(at + half)))
    return out


def least_gap(hand):
    return min(
        max(b[0] - a[2], a[0] - b[2], b[1] - a[3], a[1] - b[3]) for a, b in itertools.combinations(boxes(hand), 2)
    )


def place(hand, number):
    return copy_at(hand.desk.job, hand.spot(number)).at


def type_into(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def test_gather_keeps_the_typed_spacing_and_undo_takes_both_back(trio):
    before = trio.desk.job
    field = trio.window.parts.findChild(NumberField, "spacing")
    type_into(field, "25/2")
    assert trio.desk.job.layout.spacing == 12.5
    assert trio.desk.store.undo_name == "change spacing"
    trio.canvas.setFocus()
    trio.key(Qt.Key.Key_G)
    trio.drawn()
    assert 12.5 <= least_gap(trio) < 20
    trio.key(Qt.Key.Key_Z, Held.ControlModifier)
    trio.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert trio.desk.job == before


def test_a_spacing_that_is_none_is_refused(trio):
    field = trio.window.parts.findChild(NumberField, "spacing")
    type_into(field, "-3")
    assert trio.desk.job.layout.spacing == 6.0
    assert trio.window.area.notes.isVisible()


def test_fill_the_bed_adds_copies_that_touch_nothing(trio):
    trio.desk.selection.pick([trio.spot(1)])
    button = trio.window.parts.findChild(LayoutFields).findChild(object, "fill")
    assert button.isEnabled()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    trio.drawn()
    count = len(trio.desk.job.parts[1].copies)
    assert 40 < count < 80
    assert least_gap(trio) >= 6.0 - 1e-6
    assert not any(part.fault for part in trio.canvas.scene.parts)
    assert trio.desk.store.undo_name == "fill the bed with b"


def test_aligning_brings_edges_to_the_line_of_the_last_picked(trio):
    trio.desk.selection.pick([trio.spot(), trio.spot(1), trio.spot(2)])
    trio.window.run("parts.align_x_least")
    left = [edge[0] for edge in boxes(trio)]
    assert left == pytest.approx([left[2]] * 3, abs=1e-3)
    trio.window.run("parts.distribute_y")
    low, high = sorted(boxes(trio), key=lambda b: b[1]), sorted(boxes(trio), key=lambda b: b[3])
    gaps = [low[i + 1][1] - high[i][3] for i in range(2)]
    assert gaps[0] == pytest.approx(gaps[1], abs=2e-3)


def test_x_mirrors_and_twice_is_as_before(trio):
    before = trio.desk.job
    trio.desk.selection.pick([trio.spot()])
    trio.key(Qt.Key.Key_X)
    assert trio.desk.job.parts[0].mirrored == (True, False, False)
    assert trio.desk.store.undo_name == "mirror a"
    trio.drawn()
    trio.key(Qt.Key.Key_X)
    assert trio.desk.job.parts == before.parts


def test_what_is_locked_is_moved_by_nothing_until_it_is_unlocked(trio):
    trio.desk.selection.pick([trio.spot()])
    trio.key(Qt.Key.Key_K)
    assert copy_at(trio.desk.job, trio.spot()).locked
    at, others = place(trio, 0), (place(trio, 1), place(trio, 2))
    trio.key(Qt.Key.Key_Right)
    assert place(trio, 0) == at
    assert "locked" in trio.window.area.notes.text
    trio.key(Qt.Key.Key_Delete)
    assert len(trio.desk.job.parts) == 3
    trio.press_and_drag(
        trio.seen(trio.spot()), trio.seen(trio.spot()) + (trio.seen(trio.spot(1)) - trio.seen(trio.spot())) / 3
    )
    assert place(trio, 0) == at
    trio.key(Qt.Key.Key_G)
    trio.drawn()
    assert place(trio, 0) == at
    assert (place(trio, 1), place(trio, 2)) != others
    assert "locked" in trio.window.parts.rows.rows[0].accessibleName()
    trio.desk.selection.pick([trio.spot()])
    trio.key(Qt.Key.Key_K)
    trio.key(Qt.Key.Key_Right)
    assert place(trio, 0)[0] == pytest.approx(at[0] + 1)


def test_what_is_hidden_is_not_seen_but_stays_in_the_list(trio):
    trio.desk.selection.pick([trio.spot(1)])
    trio.key(Qt.Key.Key_H)
    trio.drawn()
    assert {part.spot for part in trio.canvas.scene.parts} == {trio.spot(), trio.spot(2)}
    assert "hidden" in trio.window.parts.rows.rows[1].accessibleName()
    trio.key(Qt.Key.Key_H, Held.ShiftModifier)
    trio.drawn()
    assert len(trio.canvas.scene.parts) == 3


def test_a_copy_cut_loose_follows_the_others_no_more(trio):
    trio.desk.selection.pick([trio.spot()])
    trio.key(Qt.Key.Key_D, Held.ControlModifier)
    trio.drawn()
    assert trio.desk.selection.spots == (trio.spot(0, 1),)
    trio.window.run("parts.loose")
    assert [len(part.copies) for part in trio.desk.job.parts] == [1, 1, 1, 1]
    assert trio.desk.selection.spots == (trio.spot(3),)
    trio.window.run("parts.quarter_x+")
    assert trio.desk.job.parts[3].turn != trio.desk.job.parts[0].turn


def test_lie_flat_and_on_end(trio):
    trio.desk.selection.pick([trio.spot(2)])
    trio.key(Qt.Key.Key_E)
    for name, tall in (("lie flat", 10), ("on end", 40)):
        QTest.mouseClick(trio.window.parts.findChild(object, name), Qt.MouseButton.LeftButton)
        trio.drawn()
        assert trio.desk.stand(trio.spot(2)).size[2] == pytest.approx(tall, abs=1e-6)
    assert trio.desk.store.undo_name == "stand c on end"


def test_fit_to_the_bed_fills_it_and_stays_on_it(trio):
    trio.desk.selection.pick([trio.spot()])
    trio.window.run("parts.fit")
    trio.drawn()
    size = trio.desk.stand(trio.spot()).size
    assert 219 < size.max() <= 220
    fault = next(part for part in trio.canvas.scene.parts if part.spot == trio.spot()).fault
    assert fault.startswith("runs into ")  # it fits, but there are two more


def test_a_corner_kept_free_stays_free_and_can_be_freed_again(trio):
    trio.click("keep free")
    assert trio.desk.job.layout.keep_out == ((0.0, 0.0, 40.0, 40.0),)
    trio.type_into("kept free 0 x to", "220")
    trio.type_into("kept free 0 y to", "150")
    assert trio.desk.job.layout.keep_out == ((0.0, 0.0, 220.0, 150.0),)
    trio.canvas.setFocus()
    trio.key(Qt.Key.Key_G)
    trio.drawn()
    assert all(edge[1] >= 150 - 1e-6 for edge in boxes(trio))
    trio.type_into("kept free 0 y to", "-5")
    assert trio.desk.job.layout.keep_out == ((0.0, 0.0, 220.0, 150.0),)
    assert "no rectangle" in trio.window.area.notes.text
    trio.click("free again 0")
    assert trio.desk.job.layout.keep_out == ()


def test_a_part_on_a_kept_free_area_is_a_finding(block):
    block.click("keep free")
    block.type_into("kept free 0 x to", "120")
    block.type_into("kept free 0 y to", "120")
    found = [one for one in block.slice().report["findings"] if "kept free" in one["message"]]
    assert [one["code"] for one in found] == ["off-bed"]
    # The block of 30 × 20 in the middle of the bed reaches 15 + 10 and 10 + 10 mm into it.
    assert found[0]["amount"] == pytest.approx(25 * 20, rel=0.02)


def test_all_that_is_picked_is_sized_along_with_the_part_in_hand(trio):
    trio.desk.selection.pick([trio.spot(), trio.spot(2)])
    trio.key(Qt.Key.Key_R)
    trio.type_into("percent X", "150")
    assert [part.scale for part in trio.desk.job.parts] == [(1.5,) * 3, (1.0,) * 3, (1.5,) * 3]
    trio.click("size back")
    assert all(part.scale == (1.0,) * 3 for part in trio.desk.job.parts)


def test_a_part_dragged_over_an_area_kept_free_is_marked_at_once(block):
    block.click("keep free")
    block.drawn()
    assert block.canvas.scene.parts[0].fault == ""
    block.type_into("kept free 0 x to", "120")
    block.type_into("kept free 0 y to", "120")
    block.drawn()
    block.wait(lambda: block.canvas.scene.parts[0].fault == "over an area kept free")
    assert block.window.rail.steps["Parts"].mark == "stop"
    start = block.seen(block.spot(), 1.0)
    block.press_and_drag(start, start + QPoint(150, -60))
    block.wait(lambda: block.canvas.scene.parts[0].fault == "")


def test_what_is_brought_in_is_not_lost_when_the_job_changes_while_it_is_placed(trio, tmp_path):
    path = write_stl(tmp_path / "late.stl", box(15, 15, 15))
    changed = []

    def nudge(_):
        """Change the job at the very moment a place is looked for."""
        if not changed:
            changed.append(True)
            QTimer.singleShot(0, lambda: trio.desk.store.do("nudge", moved(trio.desk.job, [trio.spot()], (1.0, 0.0))))

    trio.desk.shelf.arrived.connect(nudge)
    before = trio.desk.job
    trio.window.files.bring_in([str(path)])
    trio.wait(lambda: len(trio.desk.job.parts) == 4)
    trio.drawn()
    assert place(trio, 0)[0] == pytest.approx(copy_at(before, trio.spot()).at[0] + 1.0)
    assert least_gap(trio) > 0


def test_files_brought_in_one_after_the_other_all_come(trio, tmp_path):
    paths = [write_stl(tmp_path / f"late {n}.stl", box(15, 15, 5 + n)) for n in range(4)]
    for path in paths:
        trio.window.files.bring_in([str(path)])
    trio.wait(lambda: len(trio.desk.job.parts) == 7)
    trio.drawn()
    assert sorted(part.name for part in trio.desk.job.parts[3:]) == [f"late {n}" for n in range(4)]
    assert least_gap(trio) > 0


def test_what_cannot_be_done_because_the_job_changed_is_told(trio):
    trio.window.run("parts.gather")
    trio.desk.store.do("nudge", moved(trio.desk.job, [trio.spot()], (1.0, 0.0)))
    trio.wait(lambda: "changed meanwhile" in trio.window.area.notes.text)
    assert trio.desk.store.undo_name == "nudge"
