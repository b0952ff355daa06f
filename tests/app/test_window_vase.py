"""Vase mode in the window: what goes with it in one step, and its offer of the outer loop alone."""

from __future__ import annotations

import numpy as np
import shapely
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from even_step.app.stations.vase_offer import VaseOffer
from tests.shapes import box, extruded, write_stl


def sliced(hand, trials):
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: len(hand.desk.trials.all) == trials and hand.desk.trials.shown is hand.desk.trials.all[-1])


def test_what_goes_with_a_vase_is_offered_with_reasons_and_taken_in_one_step(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "box.stl", box(20, 20, 12)))
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "wider")
    offer = hand.find(VaseOffer, "vase offer")
    assert not offer.isVisible()
    hand.click("setting vase.on")
    assert offer.isVisible()
    told = [piece.text() for piece in offer.findChildren(QLabel)]
    assert "Outer wall line width" in told
    assert "0.72 mm" in told
    assert "wider: this one line is all that holds" in told
    before = hand.desk.job
    hand.click("take vase offer")
    settings = hand.desk.job.settings
    assert settings["walls.outer_line_width"] == 0.72
    assert settings["layers.height"] == 0.3
    assert settings["heat.nozzle"] == 220
    assert settings["motion.outer_wall_speed"] < 40
    assert not offer.isVisible()
    hand.window.run("edit.undo")
    assert hand.desk.job == before
    assert offer.isVisible()


def test_a_part_of_its_own_is_offered_what_it_may_have_and_one_by_one_for_all(hand, tmp_path):
    path = write_stl(tmp_path / "box.stl", box(20, 20, 12))
    hand.drop(path)
    hand.drop(path)
    part = hand.desk.job.parts[0].id
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "wider")
    hand.desk.whose.choose((part,))
    hand.click("setting vase.on")
    hand.click("take vase offer")
    job = hand.desk.job
    assert job.settings["order.parts"] == "one-by-one"
    assert next(one for one in job.parts if one.id == part).settings["walls.outer_line_width"] == 0.72
    assert "walls.outer_line_width" not in job.settings


def test_a_hollow_model_offers_its_outer_loop_alone(hand, tmp_path):
    wall = shapely.Point(0, 0).buffer(10).difference(shapely.Point(0, 0).buffer(8))
    cup = np.concatenate((extruded(shapely.Point(0, 0).buffer(10), 2), extruded(wall, 4) + (0, 0, 2)))
    hand.drop(write_stl(tmp_path / "cup.stl", cup))
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "wider")
    hand.click("setting vase.on")
    sliced(hand, 1)
    hand.desk.view.set("station", "Layers")
    found = hand.desk.trials.shown.report["findings"]
    number = next(i for i, one in enumerate(found) if one["code"] == "vase-broken")
    assert "2 loops, one inside another" in found[number]["message"]
    hand.click(f"fix {number}")
    assert hand.desk.job.parts[0].settings["vase.outer_loop"] is True
    sliced(hand, 2)
    assert not [one for one in hand.desk.trials.shown.report["findings"] if one["code"] == "vase-broken"]
    points = hand.desk.trials.shown.lines.points
    assert len(np.unique(np.round(points[:, 2], 3))) > 500, "each point of the rising line is drawn at its height"
