"""Marks of seams, retractions and lifts, against the toolpath and the moves that are written."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt

from even_step.app.widgets.layer_marks import marks_of
from even_step.core.toolpath.roles import OUTER_WALL
from tests.shapes import box, write_stl


@pytest.fixture
def towers(hand, tmp_path):
    """Two small towers, so that every layer has a way from one to the other."""
    both = np.concatenate((box(10, 10, 5), box(10, 10, 5, at=(30, 0, 0))))
    hand.drop(write_stl(tmp_path / "towers.stl", both))
    hand.desk.store.do("lift", hand.desk.job.with_settings({"travel.lift": 0.4}))
    hand.slice()
    return hand


def test_seams_begin_each_outer_wall_and_ways_between_towers_are_drawn_back_and_raised(towers):
    trial = towers.desk.trials.shown
    lines = trial.lines
    told = [marks_of(lines, layer) for layer in range(lines.count)]
    assert all(len(one.seams) == 2 for one in told)
    # Before the very first line, or after the last, there is a retraction that lies on no way between lines.
    assert sum(len(one.drawn_back) for one in told) == int(lines.retract[1:].sum())
    assert 0 <= trial.report["retractions"] - int(lines.retract[1:].sum()) <= 1
    assert all(len(one.raised) == len(one.drawn_back) for one in told)
    for layer in (3, 11):
        a, b = int(lines.layer[layer]), int(lines.layer[layer + 1])
        walls = lines.points[a:b][lines.points[a:b, 5] == OUTER_WALL]
        for seam in told[layer].seams:
            assert np.abs(walls[:, :3] - seam).max(axis=1).min() < 1e-5
            assert seam[2] == pytest.approx(lines.top[layer], abs=1e-5)


def test_they_are_shown_by_key_and_by_button_and_change_the_picture(towers):
    hand = towers
    hand.wait(lambda: hand.canvas.is_whole)
    hand.desk.view.show_layers(0, 10, hand.desk.trials.shown.lines.count)
    hand.wait(lambda: hand.canvas.is_whole)
    hand.canvas.setFocus()
    plain = hand.window.area.grab().toImage()
    hand.key(Qt.Key.Key_N)
    assert hand.desk.view.marks is True
    marked = hand.window.area.grab().toImage()
    assert marked != plain
    hand.click("layer marks")
    assert hand.desk.view.marks is False
