"""Texture in the window: by feel, as a relief on the part, its time, and the button that keeps it out."""

from __future__ import annotations

import numpy as np
import shapely
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QPushButton

from even_step.core.job import edits
from even_step.core.job.zones import Zone
from tests.shapes import box, extruded, write_stl


def recipe(hand):
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "wider")


def shades(hand):
    """How many different shades the middle of the part shows."""
    hand.drawn()
    picture = hand.canvas.picture
    ratio = picture.devicePixelRatio()
    x, y, _ = hand.canvas.camera.project(np.array([[110.0, 95.0, 10.0]]))[0]
    spots = [(round(ratio * x) + i, round(ratio * y) + j) for i in range(-12, 12) for j in range(-12, 12)]
    return len({picture.pixelColor(*spot).red() for spot in spots})


def test_a_feel_sets_depth_and_spacing_in_one_step_and_shows_on_the_part(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "box.stl", box(30, 30, 20)))
    recipe(hand)
    plain = shades(hand)
    hand.click("texture bark")
    assert (hand.desk.job.settings["texture.depth"], hand.desk.job.settings["texture.spacing"]) == (0.6, 1.6)
    assert hand.find(QPushButton, "texture bark").isChecked()
    hand.wait(lambda: bool(hand.canvas.scene.rough))
    assert shades(hand) > plain + 10
    hand.desk.view.set("station", "Supports")
    hand.wait(lambda: not hand.canvas.scene.rough)
    hand.desk.view.set("station", "Recipe")
    hand.wait(lambda: bool(hand.canvas.scene.rough))
    hand.window.run("edit.undo")
    assert "texture.depth" not in hand.desk.job.settings
    assert hand.find(QPushButton, "texture smooth").isChecked()
    hand.wait(lambda: not hand.canvas.scene.rough)


def test_its_time_is_told_and_an_opening_that_lets_it_in_has_a_button(hand, tmp_path):
    ring = shapely.box(-15, -10, 15, 10).difference(shapely.box(-13, -8, 13, 8)).difference(shapely.box(-3, -20, 3, 0))
    hand.drop(write_stl(tmp_path / "case.stl", extruded(ring, 3)))
    recipe(hand)
    hand.click("texture sand")
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: hand.desk.trials.shown is not None)
    hand.desk.view.set("station", "Layers")
    report = hand.desk.trials.shown.report
    assert report["texture_s"] > 0
    assert "of it for texture" in [label.text() for label in hand.window.findChildren(QLabel)]
    number = next(i for i, one in enumerate(report["findings"]) if one["code"] == "texture-inside")
    hand.click(f"fix {number}")
    assert 6.0 < hand.desk.job.parts[0].settings["texture.opening_width"] <= 6.5


def test_the_button_of_an_opening_that_lets_in_the_texture_of_a_zone_changes_the_zone(hand, tmp_path):
    ring = shapely.box(-15, -10, 15, 10).difference(shapely.box(-13, -8, 13, 8)).difference(shapely.box(-3, -20, 3, 0))
    hand.drop(write_stl(tmp_path / "case.stl", extruded(ring, 3)))
    part = hand.part()
    grip = Zone(id="z1", shape="box", middle=(0, -8, 1.5), size=(34, 10, 5), settings={"texture.depth": 0.3})
    hand.desk.store.do("zone", edits.with_zone(hand.desk.job, part, grip))
    trial = hand.slice()
    hand.desk.view.set("station", "Layers")
    number = next(i for i, one in enumerate(trial.report["findings"]) if one["code"] == "texture-inside")
    hand.click(f"fix {number}")
    settings = edits.zone_of(hand.desk.job, part, "z1").settings
    assert settings["texture.depth"] == 0.3
    assert 6.0 < settings["texture.opening_width"] <= 6.5
    assert "texture.opening_width" not in hand.desk.job.parts[0].settings
    assert "texture-inside" not in [one["code"] for one in hand.slice().report["findings"]]
