"""What a first user trips over: keys, the view without a middle button, notes, unsaved work."""

from __future__ import annotations

import os
import signal

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel

from even_step.app.desk import Note
from even_step.app.keeping import Keeping
from even_step.app.main import open_window
from even_step.app.work.client import TRIES
from even_step.core.job.edits import moved, on_machine, with_material
from even_step.core.job.file import read_job_file
from even_step.core.job.model import Machine, Material
from even_step.core.job.shipped import find
from even_step.core.job.spots import copy_at
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier
BARE_PAPER = QPoint(120, 120)


def test_digits_after_a_tools_key_are_the_windows_and_turn_nothing(block):
    block.desk.selection.pick([block.spot()])
    for key in (Qt.Key.Key_E, Qt.Key.Key_5, Qt.Key.Key_3):
        block.key(key)
    assert block.desk.view.station == "Recipe"
    block.click_canvas(BARE_PAPER)
    assert block.desk.job.parts[0].turn == (0, 0, 0)


def test_enter_takes_a_figure_and_gives_the_keyboard_back(block):
    block.desk.selection.pick([block.spot()])
    block.window.desk.view.set("tool", "turn")
    field = block.find(object, "angle X")
    field.setFocus()
    QTest.keyClicks(field, "90")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert block.desk.stand(block.spot()).size == pytest.approx((30, 10, 20))
    assert QApplication.focusWidget() is block.canvas


def test_escape_leaves_a_field_and_what_was_typed_in_it(block):
    block.desk.selection.pick([block.spot()])
    field = block.find(object, "place X")
    field.setFocus()
    before = block.desk.job
    QTest.keyClicks(field, "17")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert QApplication.focusWidget() is block.canvas
    assert block.desk.job is before


@pytest.mark.parametrize(("key", "name"), [(Qt.Key.Key_K, "edit.find"), (Qt.Key.Key_E, "slice.export")])
def test_the_windows_keys_work_while_a_field_has_the_keyboard(block, key, name):
    block.slice()
    block.click("step Parts")
    block.desk.selection.pick([block.spot()])
    block.drawn()
    ran = []
    block.window._q_actions[name].triggered.disconnect()
    block.window._q_actions[name].triggered.connect(lambda: ran.append(name))
    field = block.find(object, "place X")
    field.setFocus()
    QTest.keyClick(field, key, Held.ControlModifier)
    assert ran == [name]


def test_a_left_drag_on_bare_paper_turns_the_view_and_keeps_what_is_picked(block):
    block.desk.selection.pick([block.spot()])
    before = block.canvas.camera
    block.press_and_drag(BARE_PAPER, BARE_PAPER + QPoint(60, 30))
    after = block.canvas.camera
    assert after.yaw != before.yaw
    assert after.pitch > before.pitch
    assert block.desk.selection.spots == (block.spot(),)
    block.press_and_drag(BARE_PAPER, BARE_PAPER + QPoint(40, 0), modifier=Held.ShiftModifier)
    assert block.canvas.camera == after


def test_a_left_drag_turns_the_layers_too(block):
    block.slice()
    assert block.desk.view.station == "Layers"
    before = block.canvas.camera
    block.press_and_drag(QPoint(300, 300), QPoint(360, 300))
    assert block.canvas.camera.yaw != before.yaw


@pytest.mark.parametrize(
    ("view", "way"), [("top", (0, 0, 1)), ("front", (0, -1, 0)), ("right", (1, 0, 0)), ("below", (0, 0, -1))]
)
def test_views_that_have_a_name(block, view, way):
    block.window.run(f"view.{view}")
    assert block.canvas.camera.away == pytest.approx(np.array(way, float), abs=0.01)
    block.window.run("view.fit")
    assert (block.canvas.camera.yaw, block.canvas.camera.pitch) == (-28.0, 38.0)


def test_from_below_the_bed_is_glass_and_the_part_is_seen(block):
    block.window.run("view.below")
    block.drawn()
    x, y, _ = block.canvas.camera.project([[110.0, 110.0, 0.0]])[0]
    picture = block.canvas.picture
    ratio = picture.devicePixelRatio()

    def lightness(at, dx=0, dy=0):
        return picture.pixelColor(int((at[0] + dx) * ratio), int((at[1] + dy) * ratio)).lightness()

    shades = [lightness((x, y), dx, dy) for dx in range(-6, 7, 3) for dy in (-5, 1, 6)]
    off = block.canvas.camera.project([[60.0, 60.0, 0.0]])[0]
    paper = max(lightness(off, d, d) for d in range(5))
    assert np.median(shades) < paper - 8


def test_a_second_delete_removes_nothing_more(hand, tmp_path):
    hand.drop(*(write_stl(tmp_path / f"{name}.stl", box(20, 20, 5)) for name in "abc"))
    hand.desk.selection.pick([hand.spot()])
    hand.key(Qt.Key.Key_Delete)
    assert hand.desk.selection.spots == ()
    hand.key(Qt.Key.Key_Delete)
    assert [part.name for part in hand.desk.job.parts] == ["b", "c"]


def test_notes_wait_for_each_other_and_lie_above_the_canvas(block):
    notes, area = block.window.area.notes, block.window.area
    for text in ("first", "second"):
        block.desk.noted.emit(Note(text, "caution", stays=True))
    QApplication.processEvents()
    assert notes.text == "second"
    assert area.canvas.geometry().top() >= notes.geometry().bottom()
    block.click("put note away")
    QApplication.processEvents()
    assert notes.isVisible()
    assert notes.text == "first"
    block.click("put note away")
    assert not notes.isVisible()
    assert area.canvas.geometry().top() == 0


def test_a_note_goes_when_the_job_it_was_about_has_changed(block, monkeypatch):
    block.desk.note("this part is locked", "caution")
    for told in block.window.area.notes._waiting:
        told.since -= 10.0
    block.desk.store.do("nudge", moved(block.desk.job, [block.spot()], (1.0, 0.0)))
    assert not block.window.area.notes.isVisible()


def test_every_unreadable_file_is_listed_with_its_reason(hand, tmp_path):
    good = write_stl(tmp_path / "good.stl", box(10, 10, 10))
    bad = []
    for number, content in enumerate((b"", b"prose", bytes(200), b"solid x")):
        bad.append(tmp_path / f"bad{number}.stl")
        bad[-1].write_bytes(content)
    hand.drop(good, *bad)
    hand.wait(lambda: "could not be read" in hand.window.area.notes.text)
    told = hand.window.area.notes.text
    assert told.startswith("4 of 5 files")
    for path in bad:
        assert f"{path.name}: " in told
    assert str(tmp_path) not in told
    assert [part.name for part in hand.desk.job.parts] == ["good"]


def test_two_unsaved_jobs_are_kept_side_by_side_and_each_can_be_taken(block, tmp_path):
    state = tmp_path / "state"
    block.window.close()
    second = open_window(state=state)
    second.files.bring_in([str(write_stl(tmp_path / "other.stl", box(5, 5, 5)))])
    block.wait(lambda: bool(second.desk.job.parts))
    second.close()
    third = open_window(state=state)
    try:
        left = third.keeping.left_behind()
        assert sorted(job.name for job in left) == ["block", "other"]
        assert third.area.notes.isVisible()
        assert "1 more" in third.area.notes.text
        menu = third.findChild(object, "unsaved jobs")
        menu.fill()
        assert len([action for action in menu.actions() if ":" in action.text()]) == 2
        found = [entry.title for entry in third.reach.asking._entries() if "Unsaved job" in entry.title]
        assert sorted(found) == ["Unsaved job: block", "Unsaved job: other"]
        third.files.open(str(left[1].path), recovered=True)
        block.wait(lambda: bool(third.desk.job.parts))
        assert third.desk.job.name == left[1].name
        assert [job.name for job in third.keeping.left_behind()] == [left[0].name]
    finally:
        third.close()


def test_starting_with_files_offers_unsaved_work_too(block, tmp_path):
    block.window.close()
    other = open_window([str(write_stl(tmp_path / "new.stl", box(5, 5, 5)))], state=tmp_path / "state")
    try:
        assert "was not saved" in other.area.notes.text
    finally:
        other.close()


def test_with_no_worker_left_the_job_can_still_be_saved(block, tmp_path):
    for _ in range(TRIES):
        before = block.desk.worker.pid
        os.kill(before, signal.SIGKILL)
        block.wait(lambda before=before: block.desk.worker.gone or block.desk.worker.pid != before)
    assert block.desk.worker.gone
    target = tmp_path / "kept.3mf"
    block.window.files.save(str(target))
    block.wait(target.exists)
    block.wait(lambda: block.desk.store.is_saved)
    assert [part.name for part in read_job_file(target).parts] == ["block"]
    block.desk.trials.slice()
    block.wait(lambda: "worker process is gone" in block.window.area.notes.text)


def test_the_first_slice_opens_the_layers_and_later_ones_keep_the_height(block):
    first = block.slice()
    assert block.desk.view.station == "Layers"
    assert block.desk.view.layers == (0, first.lines.count - 1)
    block.desk.view.show_layers(0, 19, first.lines.count)
    height = first.lines.top[19]
    block.click("step Recipe")
    block.desk.store.do("finer", block.desk.job.with_settings({"layers.height": 0.1}))
    second = block.slice()
    assert block.desk.view.station == "Recipe"
    assert second.lines.top[block.desk.view.layers[1]] == pytest.approx(height, abs=0.05)
    assert second.lines.count > first.lines.count


def test_exporting_an_older_trial_is_told(block, tmp_path, monkeypatch):
    block.slice()
    block.desk.store.do("denser", block.desk.job.with_settings({"infill.density": 40}))
    monkeypatch.setattr(block.window.reach.asking, "where_to_export", lambda _: "")
    block.window.run("slice.export")
    assert "as it was sliced" in block.window.area.notes.text


def test_the_name_of_an_unsaved_job_is_read_from_its_first_lines(block):
    keeping = Keeping(block.desk)
    keeping._folder.mkdir(parents=True, exist_ok=True)
    (keeping._folder / "unsaved-1-1.toml").write_text("")
    assert [job.name for job in keeping.left_behind()] == ["job"]
    keeping.throw_away(keeping.left_behind())
    assert keeping.left_behind() == []
    keeping.close()
    assert copy_at(block.desk.job, block.spot()).at is not None


def test_a_turn_is_about_the_axis_it_says_each_time(block):
    block.desk.selection.pick([block.spot()])
    block.desk.view.set("tool", "turn")
    block.click("more Z")
    block.click("more X")
    assert block.desk.stand(block.spot()).size == pytest.approx((20, 10, 30))
    block.type_into("angle X", "90")
    assert block.desk.stand(block.spot()).size == pytest.approx((20, 30, 10))
    assert block.find(object, "angle X").value == 0


def test_sizes_are_those_of_the_part_as_it_stands(block):
    block.desk.selection.pick([block.spot()])
    block.desk.view.set("tool", "turn")
    block.click("more X")
    block.desk.view.set("tool", "size")
    QApplication.processEvents()
    assert block.find(object, "length Z").value == pytest.approx(20)
    block.find(object, "lock axes").setChecked(False)
    block.type_into("length Z", "half")
    assert block.desk.stand(block.spot()).size == pytest.approx((30, 10, 10))
    assert block.desk.job.parts[0].scale == pytest.approx((1, 0.5, 1))


def test_a_refused_value_leaves_no_red_text_behind_and_names_no_key(block):
    block.click("step Recipe")
    block.type_into("setting layers.height", "0.9")
    line = block.window.recipe.lines["layers.height"]
    assert line._wrong.isVisible()
    assert "layers.height" not in line._wrong.text()
    block.canvas.setFocus()
    QApplication.processEvents()
    assert not line._wrong.isVisible()


def test_a_setting_opened_below_another_stays_under_the_pointer(block):
    block.click("step Recipe")
    block.window.resize(1100, 700)
    QApplication.processEvents()
    lines = block.window.recipe.lines
    lines["layers.height"].field.setFocus()
    QApplication.processEvents()
    line = lines["infill.density"]
    block.window.recipe.ensureWidgetVisible(line)
    before = line.mapTo(block.window, QPoint(0, 0)).y()
    line.field.setFocus()
    QTest.qWait(50)
    assert abs(line.mapTo(block.window, QPoint(0, 0)).y() - before) <= 1


def test_two_quick_duplicates_make_two_copies(block):
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_D, Held.ControlModifier)
    block.key(Qt.Key.Key_D, Held.ControlModifier)
    block.wait(lambda: sum(len(part.copies) for part in block.desk.job.parts) == 3)


def test_findings_count_layers_from_one_like_the_title(hand, tmp_path):
    table = np.concatenate((box(10, 10, 10), box(30, 30, 5, (0, 0, 10))))
    hand.drop(write_stl(tmp_path / "table.stl", table))
    trial = hand.slice()
    number, finding = next(one for one in enumerate(trial.report["findings"]) if one[1]["code"] == "overhang-unheld")
    rows = [row for row in hand.window.findChildren(object) if getattr(row, "number", None) == number]
    told = "".join(str(vars(row)) + row.accessibleName() + row.toolTip() for row in rows)
    assert f"layer {finding['layer'] + 1} " in told


def test_the_slice_button_says_that_it_will_stop(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "long.stl", box(260, 20, 5)))
    hand.wait(lambda: "will stop" in hand.window.strip.button.below)


def test_output_lists_only_materials_that_are_used(block):
    job = on_machine(block.desk.job, find(Machine, "Alder 300 twin"))
    block.desk.store.do("two spools", with_material(job, 1, find(Material, "PETG")))
    block.slice()
    block.click("step Output")
    shown = [words.text() for words in block.window.output.findChildren(QLabel)]
    assert "PLA" in shown
    assert not any("PETG" in text for text in shown)


def test_the_paper_cube_turns_the_view_and_its_sides_can_be_clicked(block):
    cube = block.find(object, "paper cube")
    before = block.canvas.camera
    middle = QPoint(cube.width() // 2, cube.height() // 2)
    QTest.mousePress(cube, Qt.MouseButton.LeftButton, Held.NoModifier, middle)
    QTest.mouseMove(cube, middle + QPoint(20, 0))
    QTest.mouseRelease(cube, Qt.MouseButton.LeftButton, Held.NoModifier, middle + QPoint(20, 0))
    assert block.canvas.camera.yaw != before.yaw
    block.window.run("view.fit")
    top = next(corners for view, _, corners, _ in cube.sides() if view == "top")
    QTest.mouseClick(cube, Qt.MouseButton.LeftButton, Held.NoModifier, top.boundingRect().center().toPoint())
    assert block.canvas.camera.away == pytest.approx((0, 0, 1), abs=0.01)


def test_a_part_that_runs_into_another_names_it(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "a.stl", box(30, 20, 10)), write_stl(tmp_path / "b.stl", box(20, 20, 10)))
    at = copy_at(hand.desk.job, hand.spot()).at
    other = copy_at(hand.desk.job, hand.spot(1)).at
    hand.desk.store.do("move", moved(hand.desk.job, [hand.spot(1)], (at[0] - other[0], at[1] - other[1])))
    hand.wait(lambda: {part.fault for part in hand.canvas.scene.parts} == {"runs into a", "runs into b"})
