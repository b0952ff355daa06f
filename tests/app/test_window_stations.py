"""Each station's sheet says what is so, and follows the job."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QPushButton

from even_step.app.stations.finding_rows import FindingRow
from even_step.app.stations.layers import RoleRow
from even_step.app.stations.recipe import for_several
from even_step.core.catalogue import CATALOGUE
from even_step.core.job import edits
from even_step.core.job.model import Machine, Material, Recipe
from even_step.core.job.shipped import DATA, find, shipped
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


def words_of(hand, station):
    """All that a station's sheet says at the moment."""
    hand.desk.view.set("station", station)
    QApplication.processEvents()
    sheet = hand.window._sheets.currentWidget()
    return " | ".join(piece.text() for piece in sheet.findChildren(QLabel) if piece.isVisible())


def go(hand, station):
    hand.desk.view.set("station", station)
    QApplication.processEvents()


def test_the_machine_sheet_tells_limits_and_follows_the_machine(hand):
    told = words_of(hand, "Machine")
    assert "0.05 to 0.32 mm" in told
    assert "front" in told
    hand.click("machine Larch 220 fine")
    told = words_of(hand, "Machine")
    assert "0.02 to 0.15 mm" in told
    assert "0.05 to 0.32 mm" not in told


def test_a_second_extruder_is_loaded_and_emptied(hand):
    go(hand, "Machine")
    hand.click("machine Alder 300 twin")
    go(hand, "Machine")
    field = hand.find(object, "material 2")
    field.setFocus()
    names = [field.itemText(k) for k in range(field.count())]
    assert names[-1] == "empty"
    QTest.keyClick(field, Qt.Key.Key_Up)
    assert len(hand.desk.job.materials) == 2
    field = hand.find(object, "material 2")
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Down)
    assert len(hand.desk.job.materials) == 1


@pytest.mark.parametrize("name", list(shipped(Material)))
def test_every_material_brings_its_temperature_to_the_recipe_sheet(hand, name):
    hand.desk.store.do("load", edits.with_material(hand.desk.job, 0, find(Material, name)))
    line = hand.window.recipe.lines["heat.nozzle"]
    wanted = hand.desk.resolved.values["heat.nozzle"]
    assert line.field.text() == f"{wanted:g} °C"
    assert line._origin.text() == hand.desk.resolved.origin["heat.nozzle"]


@pytest.mark.parametrize("name", list(shipped(Machine)))
def test_every_machine_shows_its_bed_and_slices_the_demo_ring(hand, tmp_path, name):
    hand.desk.store.do("machine", edits.on_machine(hand.desk.job, find(Machine, name)))
    if "fine" in name:
        hand.desk.store.do("recipe", edits.with_recipe(hand.desk.job, find(Recipe, "Figure")))
    hand.drop(write_stl(tmp_path / "block.stl", box(12, 12, 3)))
    part = hand.canvas.scene.parts[0]
    assert part.fault == ""
    assert part.at == pytest.approx(hand.desk.job.machine.bed.centre, abs=0.01)
    trial = hand.slice()
    assert trial.report["job"]["machine"] == name
    assert not trial.findings("stop")


def test_every_setting_shows_the_value_that_holds(hand):
    for recipe in shipped(Recipe).values():
        hand.desk.store.do("recipe", edits.with_recipe(hand.desk.job, recipe))
        resolved = hand.desk.resolved
        for key, line in hand.window.recipe.lines.items():
            value = resolved.values[key]
            shown = line.field.currentText() if hasattr(line.field, "currentText") else line.field.text()
            if isinstance(value, str):
                assert shown == value.replace("-", " "), key
            elif not isinstance(value, bool):
                assert float(shown.split()[0]) == pytest.approx(float(value), abs=6e-4), key


def test_a_setting_tells_what_it_does_only_when_it_is_in_hand(hand):
    go(hand, "Recipe")
    first, second = (hand.window.recipe.lines[key] for key in ("infill.density", "walls.count"))
    first.field.setFocus()
    assert first._detail.isVisible()
    assert CATALOGUE["infill.density"].explanation in words_of(hand, "Recipe")
    second.field.setFocus()
    assert not first._detail.isVisible()
    assert second._detail.isVisible()


def test_an_unwise_value_is_warned_of_and_kept(hand):
    go(hand, "Recipe")
    hand.desk.view.set("level", "everything")
    hand.type_into("setting infill.overlap", "50")
    line = hand.window.recipe.lines["infill.overlap"]
    assert hand.desk.job.settings == {"infill.overlap": 50.0}
    assert "advised" in line._wrong.text()
    assert line._wrong.property("role") == "caution"


def test_a_changed_setting_shows_on_every_page_and_all_go_back_at_once(hand):
    go(hand, "Recipe")
    hand.desk.view.set("level", "everything")
    hand.type_into("setting infill.overlap", "20")
    hand.type_into("setting walls.count", "5")
    hand.desk.view.set("level", "short")
    assert hand.window.recipe.lines["infill.overlap"].isVisible()
    hand.click("return all")
    assert hand.desk.job.settings == {}
    assert not hand.window.recipe.lines["infill.overlap"].isVisible()


def test_a_value_typed_back_to_what_lies_under_it_is_no_change(hand):
    go(hand, "Recipe")
    under = hand.desk.resolved.values["infill.density"]
    hand.type_into("setting infill.density", "55")
    assert hand.desk.job.settings
    hand.type_into("setting infill.density", f"{under:g}")
    assert hand.desk.job.settings == {}


def test_levels_show_more_and_more(hand):
    go(hand, "Recipe")
    counts = []
    for level in ("short", "wider", "everything"):
        hand.click(f"level {level}")
        counts.append(sum(line.isVisible() for line in hand.window.recipe.lines.values()))
    assert counts == sorted(counts)
    assert counts[0] >= 8
    assert counts[-1] == sum(not for_several(one) and one.scopes != ("zone",) for one in CATALOGUE.values())


def test_layers_says_what_to_do_before_anything_is_sliced(hand):
    assert "Slice (F5)" in words_of(hand, "Layers")
    assert "Slice (F5)" in words_of(hand, "Output")


def test_layers_lists_findings_worst_first_with_place_and_remedy(hand):
    hand.drop(DATA / "demo" / "louvre_ring.stl")
    hand.desk.store.do("move", edits.placed_at(hand.desk.job, {hand.spot(): (0.0, 0.0)}))
    trial = hand.slice()
    go(hand, "Layers")
    rows = [row for row in hand.window.findChildren(FindingRow) if row.isVisible()]
    severities = [trial.report["findings"][row.number]["severity"] for row in sorted(rows, key=lambda row: row.y())]
    assert severities == sorted(severities, key=("stop", "warn", "note").index)
    assert severities[0] == "stop"
    for row in rows:
        finding = trial.report["findings"][row.number]
        assert finding["message"] in row.accessibleName()
        assert finding["remedy"] in row.toolTip()


def test_another_trial_brings_its_own_roles_and_findings(block):
    block.slice()
    block.desk.store.do("hollow", block.desk.job.with_settings({"infill.density": 0.0}))
    block.slice()
    go(block, "Layers")
    assert "infill" not in {row.role for row in block.window.findChildren(RoleRow) if row.isVisible()}
    block.click("ticket 1")
    QApplication.processEvents()
    assert "infill" in {row.role for row in block.window.findChildren(RoleRow) if row.isVisible()}
    assert "trial 1" in words_of(block, "Layers")


def test_output_tells_the_reports_figures_and_when_they_are_outdated(block):
    trial = block.slice()
    told = words_of(block, "Output")
    assert "Ready" in told
    assert f"{trial.report['material'][0]['length_mm'] / 1000:.2f} m" in told
    assert f"{trial.report['layers']['count']}" in told
    assert "block.gcode" in told
    assert block.canvas.scene.lines.last == trial.lines.count - 1
    block.desk.store.do("walls", block.desk.job.with_settings({"walls.count": 1}))
    assert "has changed since this trial" in words_of(block, "Output")


def test_tickets_say_what_changed_and_their_findings_by_shape(block):
    block.slice()
    block.desk.store.do("move", edits.placed_at(block.desk.job, {block.spot(): (0.0, 0.0)}))
    block.slice()
    first, second = block.window.strip.shown
    assert first.changed == "first slice"
    assert second.changed == "moved"
    assert "off" in second.toolTip()
    assert block.window.rail.steps["Output"].mark == "stop"


def test_the_slice_button_counts_changes_since_the_last_trial(block):
    block.slice()
    button = block.window.strip.button
    assert "nothing changed" in button.below
    block.desk.store.do("walls", block.desk.job.with_settings({"walls.count": 1, "infill.density": 5.0}))
    assert "2 changes" in button.below


def test_tab_walks_through_the_window_and_never_gets_lost(block):
    seen = []
    block.canvas.setFocus()
    for _ in range(80):
        QTest.keyClick(QApplication.focusWidget() or block.window, Qt.Key.Key_Tab)
        focus = QApplication.focusWidget()
        assert focus is not None
        assert focus.isVisible()
        seen.append(focus.objectName())
        if focus is block.canvas:
            break
    assert "slice" in seen
    assert any(name.startswith("step ") for name in seen)
    assert "bring in" in seen


def test_keys_alone_bring_a_job_from_parts_to_layers(block):
    """No pointer: pick, turn, size, recipe, slice, look, compare, back."""
    block.key(Qt.Key.Key_A, Held.ControlModifier)
    assert block.desk.selection.spots == (block.spot(),)
    block.key(Qt.Key.Key_E)
    block.key(Qt.Key.Key_E)
    assert QApplication.focusWidget().objectName() == "angle X"
    QTest.keyClicks(QApplication.focusWidget(), "90")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert block.desk.stand(block.spot()).size == pytest.approx((30, 10, 20))
    assert QApplication.focusWidget() is block.canvas
    block.key(Qt.Key.Key_R)
    block.key(Qt.Key.Key_R)
    assert QApplication.focusWidget().objectName() == "length X"
    QTest.keyClicks(QApplication.focusWidget(), "15")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    block.key(Qt.Key.Key_3)
    trial = block.slice()
    assert trial.report["parts"][0]["size_mm"] == pytest.approx([15, 5, 10], abs=1e-6)
    block.key(Qt.Key.Key_5)
    block.key(Qt.Key.Key_PageDown)
    assert block.desk.view.layers[1] == trial.lines.count - 11


def test_focus_can_be_seen_on_every_kind_of_button(block):
    block.slice()
    for name in ("slice", "ticket 1", "step Layers", f"part {block.part()}", "bring in"):
        piece = block.find(object, name)
        block.canvas.setFocus()
        QApplication.processEvents()
        plain = piece.grab().toImage()
        piece.setFocus(Qt.FocusReason.TabFocusReason)
        QApplication.processEvents()
        assert piece.grab().toImage() != plain, name


def test_the_sheet_can_be_made_wider_and_the_window_smaller(block):
    block.window.resize(1100, 700)
    QApplication.processEvents()
    assert block.window.width() == 1100
    before = block.window._sheets.width()
    block.window._split.setSizes([500, 460])
    QApplication.processEvents()
    assert block.window._sheets.width() > before
    block.drawn()
    assert block.canvas.picture.width() == block.canvas.width()


def test_buttons_name_their_keys(block):
    buttons = {piece.objectName(): piece for piece in block.window.findChildren(QPushButton)}
    for name, key in (
        ("bring in", "Ctrl+I"),
        ("act remove", "Del"),
        ("tool turn", "E"),
        ("undo", "Ctrl+Z"),
        ("export", "Ctrl+E"),
    ):
        assert key in buttons[name].toolTip(), name


def test_several_angles_are_typed_and_a_wrong_one_is_refused(hand):
    go(hand, "Recipe")
    hand.click("level wider")
    hand.type_into("setting infill.angle", "0 60 120")
    assert hand.desk.job.settings["infill.angle"] == "0 60 120"
    assert hand.find(object, "setting infill.angle").text() == "0 60 120 °"
    hand.type_into("setting infill.angle", "0 sixty")
    assert hand.desk.job.settings["infill.angle"] == "0 60 120"
    assert "sixty is not a number" in hand.window.recipe.lines["infill.angle"]._wrong.text()
    hand.type_into("setting infill.angle", "30")
    assert hand.desk.job.settings["infill.angle"] == 30.0
