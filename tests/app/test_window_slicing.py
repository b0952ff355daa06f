from __future__ import annotations

import json
import os
import signal

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest

from even_step.app.stations.finding_rows import FindingRow
from even_step.app.stations.layers import RoleRow
from even_step.app.told import place_of_finding
from even_step.app.work.requests import Answer
from even_step.cli import main
from even_step.core.job import edits
from even_step.core.job.shipped import DATA
from even_step.core.motion.check import check_gcode
from even_step.core.toolpath.roles import ROLE_NUMBER, TABLE
from tests.app.file_dialogs import answer
from tests.shapes import ball, box, write_stl

DEMO = DATA / "demo"
Held = Qt.KeyboardModifier


def picture_of(hand):
    hand.drawn()
    image = hand.canvas.picture
    width, height = image.width(), image.height()
    image = image.convertToFormat(image.Format.Format_RGB32)
    return np.frombuffer(image.constBits(), np.uint8).reshape(height, width, 4)[:, :, :3].copy()


def test_without_parts_the_button_says_why_it_cannot(hand):
    button = hand.window.strip.button
    assert not button.isEnabled()
    assert "no parts" in button.below


def test_slicing_makes_a_ticket_whose_figures_are_the_reports(block):
    trial = block.slice()
    ticket = block.window.strip.shown[0]
    assert ticket.trial is trial
    assert trial.report["layers"]["count"] == 50
    name = ticket.accessibleName()
    minutes, seconds = divmod(round(trial.report["time_s"]), 60)
    assert f"{minutes} min {seconds:02d} s" in name
    assert f"{trial.report['material'][0]['mass_g']:.1f} g" in name


def test_a_typed_value_arrives_in_the_exported_gcode(block, tmp_path):
    block.key(Qt.Key.Key_3)
    block.type_into("setting infill.density", "37")
    block.type_into("setting walls.count", "2")
    block.slice()
    target = tmp_path / "out.gcode"
    block.window.files.export(str(target))
    block.wait(lambda: not block.window.files.reading)
    head = target.read_text().split(";es start")[0]
    assert "infill.density=37" in head
    assert "walls.count=2" in head
    read = check_gcode(target, None)
    assert read.layers == 50
    assert read.time_s == pytest.approx(block.desk.trials.shown.report["time_s"], rel=1e-6)


def test_a_value_out_of_range_is_refused_with_the_range(block):
    block.key(Qt.Key.Key_3)
    block.type_into("setting infill.density", "300")
    line = block.window.recipe.lines["infill.density"]
    assert line._wrong.isVisible()
    assert "0 to 100 %" in line._wrong.text()
    assert block.desk.job.settings == {}
    block.type_into("setting layers.height", "0.9")
    assert "0.05 to 0.3" in block.window.recipe.lines["layers.height"]._wrong.text()
    assert block.desk.job.settings == {}


def test_a_changed_setting_is_marked_and_goes_back(block):
    block.key(Qt.Key.Key_3)
    block.type_into("setting infill.density", "10")
    line = block.window.recipe.lines["infill.density"]
    assert line._origin.text() == "job"
    block.click("back infill.density")
    assert block.desk.job.settings == {}
    assert line._origin.text() != "job"


def test_choices_and_steps_change_settings_too(block):
    block.key(Qt.Key.Key_3)
    field = block.find(object, "setting infill.pattern")
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Down)
    assert block.desk.job.settings == {"infill.pattern": "grid"}
    field = block.find(object, "setting infill.density")
    field.setFocus()
    before = block.desk.resolved.values["infill.density"]
    QTest.keyClick(field, Qt.Key.Key_Up)
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert block.desk.job.settings["infill.density"] == before + 10
    block.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert "infill.density" not in block.desk.job.settings


def test_a_recipe_card_changes_the_recipe_and_shows_what_it_took(block):
    block.slice()
    block.key(Qt.Key.Key_3)
    block.click("recipe Quick")
    assert block.desk.job.recipe.name == "Quick"
    assert block.desk.resolved.values["layers.height"] == pytest.approx(0.28)
    block.slice()
    assert block.desk.trials.all[1].changed == ("recipe Quick",)
    quick = block.find(object, "recipe Quick")
    assert "min" in quick._known
    block.click("ticket 1")
    assert block.desk.trials.shown.number == 1


def test_keys_and_ruler_step_through_the_layers_and_the_picture_changes(block):
    block.slice()
    block.key(Qt.Key.Key_5)
    whole = picture_of(block)
    block.canvas.setFocus()
    for _ in range(3):
        block.key(Qt.Key.Key_PageDown)
    assert block.desk.view.layers == (0, 19)
    low = picture_of(block)
    assert (whole != low).any()
    block.key(Qt.Key.Key_Up)
    assert block.desk.view.layers == (0, 20)
    ruler = block.find(object, "ruler")
    tops = block.desk.trials.shown.lines.top
    QTest.mousePress(ruler, Qt.MouseButton.LeftButton, Held.NoModifier, QPoint(20, round(ruler.y_of(tops[40]))))
    QTest.mouseMove(ruler, QPoint(20, round(ruler.y_of(tops[30]))))
    QTest.mouseRelease(ruler, Qt.MouseButton.LeftButton, Held.NoModifier, QPoint(20, round(ruler.y_of(tops[30]))))
    assert abs(block.desk.view.layers[1] - 30) <= 1
    bars = block.find(object, "layer bars")
    QTest.mouseClick(bars, Qt.MouseButton.LeftButton, Held.NoModifier, QPoint(bars.width() // 2, 50))
    assert abs(block.desk.view.layers[1] - 25) <= 2


def test_stepping_along_the_path_shows_part_of_the_layer(block):
    block.slice()
    block.key(Qt.Key.Key_5)
    block.canvas.setFocus()
    whole = picture_of(block)
    for _ in range(4):
        block.key(Qt.Key.Key_Left)
    assert block.desk.view.along < 1.0
    assert (picture_of(block) != whole).any()
    for _ in range(5):
        block.key(Qt.Key.Key_Right)
    assert block.desk.view.along == 1.0


def test_space_plays_the_print_to_its_end(block):
    block.slice()
    block.key(Qt.Key.Key_5)
    block.canvas.setFocus()
    block.desk.view.show_layers(0, 48, 50)
    block.key(Qt.Key.Key_Space)
    assert block.desk.view.playing
    block.wait(lambda: not block.desk.view.playing)
    assert block.desk.view.layers == (0, 49)
    block.key(Qt.Key.Key_Space)
    block.wait(lambda: block.desk.view.layers[1] in range(1, 20))
    block.key(Qt.Key.Key_Space)
    assert not block.desk.view.playing


def test_a_hidden_role_is_not_drawn(block):
    block.slice()
    block.key(Qt.Key.Key_5)
    shown = picture_of(block)
    slate = np.array(QColor(TABLE[ROLE_NUMBER["outer-wall"]].colour).getRgb()[2::-1])
    near = (np.abs(shown.astype(int) - slate).sum(axis=2) < 60).sum()
    block.click("role outer-wall", RoleRow)
    hidden = picture_of(block)
    assert (np.abs(hidden.astype(int) - slate).sum(axis=2) < 60).sum() < 0.2 * near


def test_roles_show_the_reports_time_and_mass(block):
    trial = block.slice()
    block.key(Qt.Key.Key_5)
    rows = {row.role: row for row in block.window.findChildren(RoleRow)}
    assert set(rows) == set(trial.report["time_by_role_s"]) | set(trial.report["volume_by_role_mm3"])
    grams = sum(trial.report["volume_by_role_mm3"].values()) / 1000 * trial.job.materials[0].density
    assert grams == pytest.approx(trial.mass, rel=1e-6)
    mass = trial.report["volume_by_role_mm3"]["outer-wall"] / 1000 * trial.job.materials[0].density
    assert rows["outer-wall"].accessibleName().endswith(f", {mass:.1f} g")


def test_the_section_is_flat_and_marks_voids(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "thin.stl", box(30, 0.2, 4)))
    hand.slice()
    hand.key(Qt.Key.Key_5)
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_S)
    assert hand.canvas.camera.flat
    voids = hand.window.area.voids
    hand.wait(lambda: voids.of(hand.desk.trials.shown, hand.desk.view.layers[1]) is not None)
    hand.key(Qt.Key.Key_Down)
    hand.wait(lambda: voids.of(hand.desk.trials.shown, hand.desk.view.layers[1]) is not None)
    assert len(voids.of(hand.desk.trials.shown, hand.desk.view.layers[1])["xy"]) >= 4


def test_a_click_on_a_finding_shows_its_layer(hand):
    hand.drop(DEMO / "louvre_ring.stl")
    trial = hand.slice()
    hand.key(Qt.Key.Key_5)
    number = next(i for i, finding in enumerate(trial.report["findings"]) if finding["layer"] > 0)
    hand.click(f"finding {number}", FindingRow)
    assert hand.desk.view.layers[1] == trial.report["findings"][number]["layer"]
    assert hand.desk.view.finding == number


def test_a_finding_about_the_whole_job_has_no_place_to_show(hand):
    hand.drop(DEMO / "louvre_ring.stl")
    hand.desk.store.do("depth", edits.with_setting(hand.desk.job, "infill.grading_depth", 6.0))
    trial = hand.slice()
    hand.key(Qt.Key.Key_5)
    found = trial.report["findings"]
    placed = next(i for i, finding in enumerate(found) if finding["layer"] > 0)
    idle = next(i for i, finding in enumerate(found) if finding["code"] == "setting-idle")
    hand.click(f"finding {placed}", FindingRow)
    camera = hand.canvas.camera
    hand.click(f"finding {idle}", FindingRow)
    assert place_of_finding(hand.desk) is None
    assert hand.canvas.camera == camera


def test_a_finding_out_of_sight_is_brought_into_view(hand):
    hand.drop(DEMO / "louvre_ring.stl")
    trial = hand.slice()
    hand.key(Qt.Key.Key_5)
    number = next(i for i, finding in enumerate(trial.report["findings"]) if finding["layer"] > 0)
    finding = trial.report["findings"][number]
    place = [[*finding["at_mm"], finding["z_mm"]]]
    hand.canvas.look_from(hand.canvas.camera.panned(3000, 0))
    hand.click(f"finding {number}", FindingRow)
    x, y, _ = hand.canvas.camera.project(np.array(place))[0]
    assert 0 < x < hand.canvas.width()
    assert 0 < y < hand.canvas.height()


def test_slicing_again_keeps_layer_camera_and_roles(block):
    block.slice()
    block.key(Qt.Key.Key_5)
    block.desk.view.show_layers(3, 17, 50)
    block.click("role infill", RoleRow)
    camera = block.canvas.camera
    block.desk.store.do("density", block.desk.job.with_settings({"infill.density": 40.0}))
    block.slice()
    assert block.desk.view.layers == (3, 17)
    assert block.canvas.camera == camera
    assert "infill" in block.desk.view.hidden_roles
    assert not block.find(RoleRow, "role infill").isChecked()


def test_a_slice_is_cancelled_and_another_can_follow(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "ball.stl", ball(60.0, 7)))
    hand.desk.store.do("fine", hand.desk.job.with_settings({"layers.height": 0.06, "infill.density": 30.0}))
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: hand.desk.trials.running and hand.window.strip.button.share > 0.02)
    hand.key(Qt.Key.Key_Escape)
    hand.wait(lambda: not hand.desk.trials.running)
    assert hand.desk.trials.all == []
    assert hand.window.strip.button.isEnabled()
    hand.desk.store.do("coarse", hand.desk.job.with_settings({"layers.height": 0.3}))
    assert hand.slice().number == 1


def test_the_newest_slice_replaces_one_under_way(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "ball.stl", ball(60.0, 7)))
    hand.key(Qt.Key.Key_F5)
    hand.desk.store.do("walls 1", hand.desk.job.with_settings({"walls.count": 1}))
    hand.desk.trials.slice()
    hand.wait(lambda: not hand.desk.trials.running)
    assert [trial.job.settings for trial in hand.desk.trials.all] == [{"walls.count": 1}]


def test_a_killed_worker_is_told_and_replaced_and_nothing_is_lost(block):
    block.slice()
    job, trials = block.desk.job, list(block.desk.trials.all)
    first = block.desk.worker.pid
    os.kill(first, signal.SIGKILL)
    block.wait(lambda: block.desk.worker.pid != first)
    assert "stopped" in block.window.area.notes.text
    assert block.desk.job is job
    assert block.desk.trials.all == trials
    block.desk.store.do("walls 1", job.with_settings({"walls.count": 1}))
    assert block.slice().number == 2


def test_a_worker_killed_in_mid_slice_leaves_the_button_ready(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "ball.stl", ball(60.0, 7)))
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: hand.window.strip.button.share > 0.02)
    os.kill(hand.desk.worker.pid, signal.SIGKILL)
    hand.wait(lambda: not hand.desk.trials.running)
    assert hand.window.strip.button.isEnabled()


def test_a_layer_that_could_not_be_worked_out_is_shown_at_its_part(block):
    desk = block.desk
    block.key(Qt.Key.Key_F5)
    task = desk.trials._task
    words = "block: layer 3, at 0.60 mm, could not be worked out"
    desk.worker._take(desk.worker._generation, Answer(task.number, "failed", words, ("block", 0.6)), {})
    assert not desk.trials.running
    assert desk.view.station == "Parts"
    assert list(desk.selection.spots) == desk.spots
    assert desk.trials.fault_of(desk.job_of_bed) == ("block", 0.6)
    block.drawn()
    low, _ = block.canvas.scene.parts[0].box
    corner = block.canvas.camera.project([[low[0], low[1], 0.6]])[0]
    shot = block.window.area.grab().toImage()
    offset = block.canvas.pos()
    near = [
        shot.pixelColor(round(corner[0]) + x + offset.x(), round(corner[1]) + y + offset.y())
        for x in range(-3, 4)
        for y in range(-3, 4)
    ]
    assert any(colour.red() > colour.green() + 60 for colour in near)
    desk.store.do("another height", edits.with_setting(desk.job, "layers.height", 0.25))
    assert desk.trials.fault_of(desk.job_of_bed) is None


def test_a_finding_that_stops_bars_the_export_until_forced(block, tmp_path):
    block.desk.selection.pick([block.spot()])
    block.key(Qt.Key.Key_W)
    block.type_into("place X", "0")
    trial = block.slice()
    assert trial.findings("stop")
    block.canvas.setFocus()
    block.key(Qt.Key.Key_6)
    assert not block.find(object, "export").isEnabled()
    target = tmp_path / "out.gcode"
    block.window.files.export(str(target))
    block.wait(lambda: not block.window.files.reading)
    assert not target.exists()
    block.window.files.export(str(target), force=True)
    block.wait(lambda: not block.window.files.reading)
    assert target.exists()


def test_the_export_dialog_writes_the_named_file(block, tmp_path, qtbot):
    block.slice()
    block.key(Qt.Key.Key_6)
    target = tmp_path / "named.gcode"

    answer(block, target)
    block.click("export")
    block.wait(lambda: target.exists() and not block.window.files.reading)
    assert check_gcode(target, None).layers == 50
    assert "named.gcode" in block.window.files.last_export


def test_an_export_that_cannot_be_written_leaves_nothing(block, tmp_path):
    block.slice()
    target = tmp_path / "missing" / "out.gcode"
    block.window.files.export(str(target))
    block.wait(lambda: not block.window.files.reading)
    assert "cannot be written" in block.window.area.notes.text
    assert list(tmp_path.glob("**/*.part")) == []


def test_the_report_of_the_window_is_the_command_lines(block, tmp_path, capsys):
    trial = block.slice()
    saved = tmp_path / "job.3mf"
    block.window.files.save(str(saved))
    block.wait(lambda: not block.window.files.reading)
    assert (
        main(["slice", str(saved), "--out", str(tmp_path / "a.gcode"), "--report", str(tmp_path / "r.json"), "--quiet"])
        == 0
    )
    report = json.loads((tmp_path / "r.json").read_text())
    for key in ("time_s", "time_by_role_s", "volume_by_role_mm3", "ledger", "contact_area_mm2", "findings"):
        assert report[key] == trial.report[key], key
