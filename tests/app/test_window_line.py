"""A line of the layers is asked why it is as it is: by a click, in the section, by key."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QTextCursor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPlainTextEdit, QPushButton

from even_step.core.toolpath.roles import ROLE_NUMBER


@pytest.fixture
def sliced(block):
    block.slice()
    block.wait(lambda: block.canvas.is_whole)
    return block


def seen(hand, place):
    x, y, _ = hand.canvas.camera.project(np.array([place], np.float64))[0]
    return QPoint(round(x), round(y))


def middle_of(hand, role, layer):
    """Return the middle of the longest piece of a role in a layer, on the bed."""
    lines = hand.desk.trials.shown.lines
    a, b = int(lines.layer[layer]), int(lines.layer[layer + 1])
    points = lines.points[a:b]
    own = np.flatnonzero((points[:-1, 5] == ROLE_NUMBER[role]) & (points[:-1, 3] > 0))
    far = np.hypot(*(points[own + 1, :2] - points[own, :2]).T)
    best = own[int(np.argmax(far))]
    return (points[best, :3] + points[best + 1, :3]) / 2


def asked(hand):
    hand.wait(lambda: hand.desk.asked_line.story is not None)
    return hand.desk.asked_line.story


def test_a_click_on_a_line_tells_its_role_and_what_makes_it_so(sliced):
    hand = sliced
    last = hand.desk.trials.shown.lines.count - 1
    hand.click_canvas(seen(hand, middle_of(hand, "top", last)))
    story = asked(hand)
    assert (story.role, story.layer) == ("top", last)
    told = hand.find(QLabel, "line told").text()
    assert told.startswith(f"top of block, layer {last + 1}, z ")
    hand.click("reveal top.line_width")
    assert hand.desk.view.station == "Recipe"
    assert hand.window.recipe.lines["top.line_width"].field.hasFocus()


def test_in_a_section_the_line_under_the_pointer_is_asked_and_bare_paper_lets_it_go(sliced):
    hand = sliced
    hand.desk.view.show_layers(0, 8, hand.desk.trials.shown.lines.count)
    hand.desk.view.set("section", True)
    x, y, _ = middle_of(hand, "inner-wall", 8)
    hand.click_canvas(seen(hand, (x, y, 0.0)))
    story = asked(hand)
    assert (story.role, story.layer) == ("inner-wall", 8)
    assert len(hand.desk.asked_line.points) > 2
    hand.click_canvas(QPoint(4, hand.canvas.height() // 2))
    hand.wait(lambda: hand.desk.asked_line.path < 0)
    assert not hand.window.layers.findChild(QLabel, "line told") or not hand.find(QLabel, "line told").isVisible()


def test_by_key_the_line_that_the_path_has_come_to_is_asked_and_another_trial_lets_it_go(sliced):
    hand = sliced
    hand.desk.view.show_layers(0, 5, hand.desk.trials.shown.lines.count)
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Q)
    first = asked(hand)
    assert first.layer == 5
    hand.desk.store.do("walls", hand.desk.job.with_settings({"walls.count": 5}))
    hand.slice()
    assert hand.desk.asked_line.path == -1


def test_what_is_hidden_is_not_asked(sliced):
    hand = sliced
    last = hand.desk.trials.shown.lines.count - 1
    at = seen(hand, middle_of(hand, "top", last))
    hand.desk.view.set("hidden_roles", frozenset({"top", "travel"}))
    hand.click_canvas(at)
    assert asked(hand).role != "top"
    assert hand.window.layers.findChild(QPushButton, "reveal top.line_width") is None


def test_the_code_stands_beside_with_the_line_in_hand_marked_and_a_click_on_a_line_goes_there(sliced):
    hand = sliced
    wide = hand.canvas.width()
    hand.desk.view.show_layers(0, 5, hand.desk.trials.shown.lines.count)
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_T)
    hand.wait(lambda: hand.desk.code_beside.text is not None)
    panel = hand.find(QPlainTextEdit, "layer code")
    assert panel.isVisible()
    assert hand.canvas.width() < wide
    text = panel.toPlainText().splitlines()
    (marked,) = panel.extraSelections()
    assert marked.cursor.blockNumber() == hand.desk.code_beside.line > len(text) - 5
    for _ in range(3):
        hand.key(Qt.Key.Key_Left)
    (marked,) = panel.extraSelections()
    assert marked.cursor.blockNumber() == hand.desk.code_beside.line < len(text) - 5
    block = panel.document().findBlockByNumber(hand.desk.code_beside.line - 4)
    assert block.text().startswith("G")
    at = panel.cursorRect(QTextCursor(block)).center()
    QTest.mouseClick(panel.viewport(), Qt.MouseButton.LeftButton, pos=at + QPoint(20, 0))
    assert hand.desk.code_beside.line == block.blockNumber()
    assert hand.desk.view.along < 1.0
    hand.desk.view.show_layers(0, 9, hand.desk.trials.shown.lines.count)
    hand.wait(lambda: hand.desk.code_beside.text is not None and panel.toPlainText().splitlines() != text)
    hand.window.run("layers.code")
    assert not panel.isVisible()
    assert hand.canvas.width() == wide


def test_code_that_cannot_be_had_says_why(sliced):
    hand = sliced
    asked = []
    hand.desk.code_beside._worker = SimpleNamespace(
        ask=lambda request, **tell: asked.append(tell) or SimpleNamespace(state="running"),
        call_off=lambda task: None,
    )
    hand.window.run("layers.code")
    hand.wait(lambda: bool(asked))
    assert hand.find(QLabel, "layer code head").text() == "G-code: being written…"
    asked[0]["failed"]("the worker process stopped")
    assert hand.find(QLabel, "layer code head").text() == "the worker process stopped"
    hand.desk.view.show_layers(0, 3, hand.desk.trials.shown.lines.count)
    hand.wait(lambda: len(asked) == 2)
    assert hand.find(QLabel, "layer code head").text() == "G-code: being written…"
