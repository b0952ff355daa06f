"""Layers that follow the surface, in the window: settings, and the layers to come beside the ruler."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from even_step.app.stations.height_rows import HeightRows, rows_of
from even_step.app.stations.tick_row import TickRow
from even_step.app.widgets.fields import NumbersField
from even_step.core.mesh.solids import ball
from tests.shapes import write_stl


@pytest.fixture
def dome(hand, tmp_path):
    mesh = ball(np.array([20.0, 20.0, 20.0]))
    hand.drop(write_stl(tmp_path / "dome.stl", mesh.vertices[mesh.faces]))
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "everything")
    return hand


def layers(hand, known):
    hand.wait(lambda: (found := hand.desk.foreseen_heights.of_part(hand.part())) is not None and known(found[1]))
    return hand.desk.foreseen_heights.of_part(hand.part())


def is_washed(hand, x, z):
    """Whether the bar of a layer reaches some points to the right of the ruler's axis at a height."""
    ruler = hand.window.area.ruler
    colour = ruler.grab().toImage().pixelColor(QPoint(14 + x, round(ruler.y_of(z))))
    return colour.red() - colour.green() > 8


def inked(hand):
    """How many points of the whole picture are as blue as outer walls."""
    QTest.qWait(100)
    hand.wait(lambda: hand.canvas.is_whole)
    image = hand.canvas.picture.convertToFormat(QImage.Format.Format_RGB32)
    bgr = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1, 4).astype(int)
    return int((bgr[:, :, 0] - bgr[:, :, 2] > 20).sum())


def test_the_layers_to_come_are_drawn_beside_the_ruler_and_told_at_the_pointer(dome):
    hand = dome
    top, thick = layers(hand, lambda thick: bool(np.isclose(thick, 0.2).all()))
    assert top[-1] == pytest.approx(20.0)
    hand.click("setting layers.follow_surface")
    top, thick = layers(hand, lambda thick: thick.max() > 0.25)
    middle, end = (int(np.searchsorted(top, z)) for z in (10.0, 19.0))
    assert thick[middle] > 0.25
    assert thick[end] < 0.1
    assert is_washed(hand, 40, 10.0)
    assert not is_washed(hand, 40, 19.0)
    mean, largest, area, rough, even = hand.desk.foreseen_heights.roughness_of(hand.part())
    (told,) = [text for piece in hand.window.recipe.findChildren(QLabel) if (text := piece.text()).startswith("slopes")]
    assert told.startswith(f"slopes will show stairs up to {largest:.2f} mm, {mean:.2f} on the whole")
    assert told.endswith(f"{rough / 100:.1f} of {area / 100:.1f} cm², with even layers {even / 100:.1f}")
    assert rough < 0.2 * even < even < area
    assert 0.02 < mean < largest <= 0.2
    hand.type_into("setting layers.set_heights", "0.1 0.2")
    top, thick = layers(hand, lambda thick: set(np.round(thick[1:], 3)) == {0.1, 0.2})
    field = hand.find(NumbersField, "setting layers.set_heights")
    field.setFocus()
    field.selectAll()
    QTest.keyClick(field, Qt.Key.Key_Delete)
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert hand.desk.job.settings.get("layers.set_heights", "") == ""
    layers(hand, lambda thick: len(set(np.round(thick, 3))) > 4)
    ruler = hand.window.area.ruler
    assert not is_washed(hand, 56, 10.0)  # beyond all bars
    QTest.mouseMove(ruler, QPoint(30, round(ruler.y_of(10.0))))
    hand.wait(lambda: is_washed(hand, 56, 10.0))
    hand.desk.view.set("station", "Parts")
    assert not is_washed(hand, 40, 10.0)


def test_the_heights_in_use_are_told_with_their_layers_and_time(dome):
    hand = dome
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: hand.desk.trials.shown is not None)
    hand.desk.view.set("station", "Layers")
    heights = hand.find(HeightRows, "group Heights")
    assert not heights.isVisible()
    assert rows_of(hand.desk.trials.shown.report) == [
        ("0.2 mm", pytest.approx((0.1995, 0.2005)), 100, pytest.approx(hand.desk.trials.shown.time, rel=0.2))
    ]
    hand.desk.view.set("station", "Recipe")
    hand.click("setting layers.follow_surface")
    hand.type_into("setting layers.set_heights", "0.1 0.2")
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: len(hand.desk.trials.all) == 2 and hand.desk.trials.shown is hand.desk.trials.all[-1])
    hand.desk.view.set("station", "Layers")
    assert heights.isVisible()
    (fine, _, some, _), (thick, _, others, _) = rows_of(hand.desk.trials.shown.report)
    assert (fine, thick) == ("0.1 mm", "0.2 mm")
    assert 0.1 * some + 0.2 * others == pytest.approx(20.0, abs=0.06)
    rows = [row for row in heights.findChildren(TickRow) if row.isVisible()]
    assert [row.accessibleName().split(", ")[:2] for row in rows] == [
        [fine, f"{some} layers"],
        [thick, f"{others} layers"],
    ]
    told = [piece.text() for piece in heights.findChildren(QLabel)]
    assert any(text.startswith("stairs on slopes up to 0.2") for text in told)
    (part,) = hand.desk.trials.shown.report["parts"]
    areas = part["rough_area_mm2"], sum(row["area_mm2"] for row in part["stair_areas"]), part["rough_even_area_mm2"]
    now, whole, even = (f"{area / 100:.1f}" for area in areas)
    assert f"slopes rougher than 0.1 mm: {now} of {whole} cm², with even layers {even}" in told
    assert areas[0] < areas[2] < areas[1]


def test_many_heights_are_put_together():
    heights = [{"height_mm": 0.06 + 0.01 * k, "layers": 2, "time_s": 10.0} for k in range(20)]
    rows = rows_of({"parts": [{"heights": heights}, {"heights": heights[:1]}, {}]})
    assert rows[0] == ("0.04 to 0.08 mm", pytest.approx((0.0395, 0.0795)), 6, 30.0)
    assert sum(row.layers for row in rows) == 42


def test_lines_of_a_height_are_hidden_by_its_tick_and_stay_so_after_the_next_slice(dome):
    hand = dome
    hand.desk.view.set("station", "Recipe")
    hand.click("setting layers.follow_surface")
    hand.type_into("setting layers.set_heights", "0.1 0.2")
    hand.slice()
    hand.desk.view.set("station", "Layers")
    whole = inked(hand)
    hand.click("height 0.1 mm", TickRow)
    without = inked(hand)
    assert 0 < without < 0.9 * whole
    hand.slice()
    assert not hand.find(TickRow, "height 0.1 mm").isChecked()
    assert inked(hand) == pytest.approx(without, rel=0.02)
    hand.click("height 0.2 mm", TickRow)
    assert inked(hand) < 0.1 * whole
    hand.click("height 0.1 mm", TickRow)
    hand.click("height 0.2 mm", TickRow)
    assert inked(hand) == pytest.approx(whole, rel=0.02)


def test_a_part_pointed_at_tells_the_layer_there_and_marks_its_height(dome):
    hand = dome
    hand.desk.view.set("station", "Recipe")
    hand.click("setting layers.follow_surface")
    top, thick = layers(hand, lambda thick: len(set(np.round(thick, 3))) > 4)
    hand.wait(lambda: hand.canvas.scene.parts[0].bands is not None)
    part = hand.canvas.scene.parts[0]
    side = part.box.mean(axis=0) + (0.0, -part.size[1] / 2, 0.0)
    x, y, _ = hand.canvas.camera.project(np.array([side]))[0]
    QTest.mouseMove(hand.canvas, QPoint(round(x), round(y)))
    hand.wait(lambda: hand.desk.view.pointed_z > 0)
    z = hand.desk.view.pointed_z
    high = thick[int(np.searchsorted(top, z))]
    assert f"{high:.3g} mm layer at {z:.1f} mm" in hand.canvas.gestures.under.words
    assert hand.canvas.scene.pointed_z == z
    QTest.mouseMove(hand.canvas, QPoint(hand.canvas.width() - 40, hand.canvas.height() // 2))
    hand.wait(lambda: hand.desk.view.pointed_z < 0)
