"""True-size holes in the window: switched on by a click, listed in Layers as drawn and as laid."""

from __future__ import annotations

import shapely
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from even_step.app.stations.hole_rows import HoleRows, rows_of
from tests.shapes import extruded, write_stl


def test_holes_are_listed_as_drawn_and_as_laid(hand, tmp_path):
    holes = [shapely.Point(x, 0).buffer(2.0, quad_segs=32) for x in (-8, 0, 8)]
    plate = extruded(shapely.box(-12, -6, 12, 6).difference(shapely.union_all(holes)), 1)
    hand.drop(write_stl(tmp_path / "plate.stl", plate))
    hand.desk.view.set("station", "Recipe")
    hand.desk.view.set("level", "wider")
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: hand.desk.trials.shown is not None)
    hand.desk.view.set("station", "Layers")
    rows = hand.find(HoleRows, "group True-size holes")
    assert not rows.isVisible()
    hand.desk.view.set("station", "Recipe")
    hand.click("setting holes.true_size")
    assert hand.desk.job.settings["holes.true_size"] is True
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: len(hand.desk.trials.all) == 2 and hand.desk.trials.shown is hand.desk.trials.all[-1])
    hand.desk.view.set("station", "Layers")
    assert rows.isVisible()
    told = [label.text() for label in rows.findChildren(QLabel)]
    assert "3 × 4.00 mm" in told
    assert {"4.00 mm", "8 sides"} <= set(told)


def test_holes_alike_are_told_together_with_those_of_all_copies():
    row = {"kind": "hole", "drawn_mm": 3.001, "laid_mm": 2.999, "sides": 6}
    boss = {"kind": "boss", "drawn_mm": 8.0, "laid_mm": 8.0, "sides": 16}
    report = {"parts": [{"true_size": [row, row, boss], "placements": [0, 0]}, {"placements": [0]}]}
    assert rows_of(report) == [("4 × 3.00 mm", "3.00 mm", "6 sides"), ("2 × boss 8.00 mm", "8.00 mm", "16 sides")]
