"""The print played as the machine prints it: each line in its own time, from anywhere, at several paces."""

from __future__ import annotations

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QSlider

from even_step.app.playing import PACES, moment_of, place_at


@pytest.fixture
def sliced(block):
    block.slice()
    block.desk.view.set("station", "Layers")
    block.wait(lambda: block.canvas.is_whole)
    return block


def test_moments_and_places_belong_to_each_other(sliced):
    lines = sliced.desk.trials.shown.lines
    whole = float(lines.layer_time.sum())
    assert moment_of(lines, lines.count - 1, 1.0) == pytest.approx(whole)
    assert place_at(lines, whole) == (lines.count - 1, 1.0)
    for layer in (0, 7, lines.count - 1):
        begun = float(lines.layer_time[:layer].sum())
        assert moment_of(lines, layer, 1.0) == pytest.approx(begun + lines.layer_time[layer])
        for along in (0.1, 0.35, 0.8):
            moment = moment_of(lines, layer, along)
            assert begun < moment < begun + lines.layer_time[layer]
            found = place_at(lines, moment)
            assert found[0] == layer
            assert found[1] == pytest.approx(along, abs=2 / np.diff(lines.layer)[layer] + 0.01)
    moments = [moment_of(lines, *place_at(lines, one)) for one in np.linspace(1.0, whole - 1.0, 40)]
    assert (np.diff(moments) >= 0).all()
    assert moments == pytest.approx(np.linspace(1.0, whole - 1.0, 40).tolist(), abs=2.0)


def test_by_the_button_at_the_machines_own_pace(sliced):
    hand = sliced
    lines = hand.desk.trials.shown.lines
    hand.desk.view.show_layers(0, 9, lines.count)
    hand.desk.view.set("along", 0.0)
    field = hand.find(QComboBox, "pace")
    field.setCurrentIndex(2)
    field.activated.emit(2)
    assert hand.desk.view.pace == PACES[2] == 10.0
    begun = moment_of(lines, 9, 0.0)
    ticks = []
    hand.desk.view.changed.connect(lambda piece: ticks.append(1) if piece == "along" else None)
    started = time.monotonic()
    hand.click("play")
    assert hand.find(QPushButton, "play").text() == "Pause"
    hand.wait(lambda: len(ticks) >= 10)
    hand.click("play")
    took = time.monotonic() - started
    assert not hand.desk.view.playing
    view = hand.desk.view
    passed = moment_of(lines, view.layers[1], view.along) - begun
    assert passed == pytest.approx(took * 10.0, rel=0.3)


def test_the_slider_goes_along_the_layer_and_the_nozzle_is_there(sliced):
    hand = sliced
    hand.desk.view.show_layers(0, 9, hand.desk.trials.shown.lines.count)
    hand.drawn()
    before = hand.window.area.grab().toImage()
    slider = hand.find(QSlider, "along")
    assert slider.isVisible()
    slider.setValue(400)
    assert hand.desk.view.along == pytest.approx(0.4)
    assert hand.find(QLabel, "along told").text() == "40 % of the layer"
    hand.drawn()
    assert hand.window.area.grab().toImage() != before
    hand.canvas.setFocus()
    hand.key(Qt.Key.Key_Right)
    assert hand.desk.view.along > 0.4
    assert slider.value() == pytest.approx(1000 * hand.desk.view.along, abs=1)


def test_the_scale_is_read_where_the_pointer_rests(sliced):
    hand = sliced
    lines = hand.desk.trials.shown.lines
    hand.desk.view.set("colour_by", "speed")
    hand.drawn()
    layer = hand.desk.view.layers[1]
    a, b = int(lines.layer[layer]), int(lines.layer[layer + 1])
    laid = a + np.flatnonzero(lines.points[a : b - 1, 3] > 0)
    far = np.hypot(*(lines.points[laid + 1, :2] - lines.points[laid, :2]).T)
    row = int(laid[np.argmax(far)])
    place = (lines.points[row, :3] + lines.points[row + 1, :3]) / 2
    x, y, _ = hand.canvas.camera.project(place[None, :].astype(float))[0]
    QTest.mouseMove(hand.canvas, QPoint(round(x), round(y)))
    hand.wait(lambda: hand.desk.view.pointed_path >= 0)
    pointed = hand.desk.view.pointed_path
    bar = next(one for one in hand.window.layers.findChildren(object) if type(one).__name__ == "ScaleBar")
    assert bar.toolTip() == f"{lines.by_speed[pointed]:.4g} mm/s"
    QTest.mouseMove(hand.canvas, QPoint(4, 300))
    hand.wait(lambda: hand.desk.view.pointed_path < 0)
    assert not bar.toolTip()


def test_where_no_layers_are_at_hand_nothing_plays_and_no_code_is_waited_for(sliced):
    hand = sliced
    hand.desk.trials.shown.lines = None
    hand.desk.trials.shown_changed.emit()
    hand.desk.view.set("code", True)
    assert hand.find(QLabel, "layer code head").text() == "Slice (F5) to see its G-code."
    hand.click("play")
    assert not hand.desk.view.playing
    assert hand.find(QPushButton, "play").text() == "Play"
