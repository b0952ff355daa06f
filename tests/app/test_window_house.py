from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QDialog, QLineEdit, QListWidget

from even_step.app.actions import ACTIONS, MENUS
from even_step.app.stations.recipe import for_several
from even_step.app.theme.colours import PAPER
from even_step.app.widgets.find import Entry, matches
from even_step.app.widgets.setting_line import SettingLine
from even_step.core.catalogue import CATALOGUE
from even_step.core.job.shipped import DATA
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


def test_every_action_is_in_a_menu_with_its_key(window):
    def within(menu):
        for action in menu.actions():
            yield from within(action.menu()) if action.menu() else [action]

    shown = {action.objectName(): action for action in within(window._menus)}
    assert set(shown) - {""} == {action.id for action in ACTIONS}  # recent files have no id
    for action in ACTIONS:
        assert [key.toString() for key in shown[action.id].shortcuts()] == [
            key.replace("Delete", "Del") for key in action.keys
        ], action.id


def test_no_key_means_two_things_at_one_station():
    for station in ("Machine", "Parts", "Layers"):
        keys = [key for action in ACTIONS if action.station in {"", station} for key in action.keys]
        assert len(keys) == len(set(keys)), sorted(key for key in keys if keys.count(key) > 1)


def test_every_menu_has_its_place():
    assert {action.menu.partition("/")[0] for action in ACTIONS} == set(MENUS)


def test_every_setting_is_on_the_recipes_sheet(window):
    assert set(window.recipe.lines) == set(CATALOGUE)
    window.desk.view.set("station", "Recipe")
    window.desk.view.set("level", "everything")
    hidden = {key for key, line in window.recipe.lines.items() if not line.isVisible()}
    zones_alone = {key for key, setting in CATALOGUE.items() if setting.scopes == ("zone",)}
    others = {key for key, setting in CATALOGUE.items() if for_several(setting)}
    assert hidden == others | zones_alone, "one extruder has no others"
    window.desk.view.set("level", "short")
    short = {key for key, line in window.recipe.lines.items() if line.isVisible()}
    assert short == {key for key, setting in CATALOGUE.items() if setting.level == "short"}


def test_find_lists_settings_and_actions_by_any_word(hand):
    hand.key(Qt.Key.Key_K, Held.ControlModifier)
    found = hand.find(QDialog, "find")
    listed = found.findChild(QListWidget, "found")
    field = found.findChild(QLineEdit, "find text")
    QTest.keyClicks(field, "strength")
    titles = [listed.item(k).data(Qt.ItemDataRole.UserRole).title for k in range(listed.count())]
    assert "Infill density" in titles
    field.clear()
    QTest.keyClicks(field, "infill dens")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hand.desk.view.station == "Recipe"
    hand.wait(lambda: hand.find(object, "setting infill.density").hasFocus())


def test_find_runs_actions_and_passes_over_what_cannot_be_done(hand):
    hand.key(Qt.Key.Key_K, Held.ControlModifier)
    field = hand.find(QDialog, "find").findChild(QLineEdit, "find text")
    QTest.keyClicks(field, "go to layers")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hand.desk.view.station == "Layers"


def test_what_begins_with_the_typed_words_comes_first():
    entries = [
        Entry("Retract before travel", "", "retract before travel", lambda: None),
        Entry("Travel speed", "", "travel speed", lambda: None),
    ]
    assert [entry.title for entry in matches(entries, "travel")] == ["Travel speed", "Retract before travel"]
    assert matches(entries, "walls") == []


@pytest.mark.parametrize("number", range(1, 7))
def test_number_keys_go_to_the_stations(hand, number):
    hand.key(Qt.Key(ord("0") + number))
    assert hand.window._sheets.currentIndex() == number - 1


def test_what_can_be_clicked_has_a_name_to_be_read_out(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "block.stl", box(30, 20, 10)))
    hand.slice()
    nameless = [
        piece.objectName() or type(piece).__name__
        for kind in (QAbstractButton, QLineEdit, QComboBox)
        for piece in hand.window.findChildren(kind)
        if not (piece.accessibleName() or getattr(piece, "text", str)() or piece.toolTip())
        and not piece.objectName().startswith("qt_")
    ]
    assert nameless == []


def test_no_sheet_is_wider_than_the_window_shows(hand):
    hand.window.files.open_demo()
    hand.drawn()
    hand.slice()
    hand.desk.selection.pick([hand.spot(1)])
    for size in ((1100, 700), (1280, 800)):
        hand.window.resize(*size)
        for number in range(1, 7):
            hand.desk.view.set("station", ("Machine", "Parts", "Recipe", "Supports", "Layers", "Output")[number - 1])
            hand.desk.view.set("level", "everything")
            hand.qtbot.wait(20)
            sheet = hand.window._sheets.currentWidget()
            assert sheet.widget().width() <= sheet.viewport().width(), (size, number)


def test_the_canvas_shows_paper_bed_and_bone(hand):
    hand.drop(DATA / "demo" / "bearing_hub.stl")
    image = hand.canvas.picture
    image = image.convertToFormat(image.Format.Format_RGB32)
    pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[:, :, 2::-1]
    paper = np.array([int(PAPER.paper[i : i + 2], 16) for i in (1, 3, 5)])
    assert (pixels == paper).all(axis=2).mean() > 0.2
    assert len(np.unique(pixels.reshape(-1, 3), axis=0)) > 200


def test_the_key_page_lists_every_key(hand):
    hand.key(Qt.Key.Key_F1)
    page = hand.find(QDialog, "keys")
    words = [label.text() for label in page.findChildren(object) if hasattr(label, "text")]
    for action in ACTIONS:
        if action.keys:
            assert any(action.title in word for word in words), action.id
    page.close()


def test_no_setting_is_cut_short(hand):
    """Name, origin and field fit side by side in the sheet, whatever the origin."""
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "everything")
    hand.drawn()
    cut = [
        (one.setting.key, part.text())
        for one in hand.window.findChildren(SettingLine)
        for part in (one._name, one._origin)
        if part.isVisible() and part.sizeHint().width() > part.width()
    ]
    assert not cut, "; ".join(f"{key}: {text}" for key, text in cut)
