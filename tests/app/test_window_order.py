"""The order in which parts are laid one by one, in the window."""

from __future__ import annotations

import re

import pytest
from PySide6.QtCore import Qt

from even_step.app.stations.order_fields import OrderFields
from even_step.core.job import edits
from even_step.core.job.differences import differences
from tests.shapes import box, write_stl

Held = Qt.KeyboardModifier


@pytest.fixture
def three(hand, tmp_path):
    """The window with three blocks that are laid one by one, the lowest brought in last."""
    hand.drop(
        *(write_stl(tmp_path / f"{name}.stl", box(12, 12, tall)) for name, tall in (("c", 4), ("b", 3), ("a", 2)))
    )
    job = edits.with_setting(hand.desk.job, "order.parts", "one-by-one")
    places = dict(zip(hand.desk.spots, ((40.0, 40.0), (110.0, 110.0), (180.0, 180.0)), strict=True))
    hand.desk.store.do("one by one", edits.placed_at(job, places))
    hand.desk.view.set("station", "Parts")
    return hand


def names(hand):
    return [next(part.name for part in hand.desk.job.parts if part.id == name) for name in hand.desk.job.order]


def laid(hand, target):
    """The names of the parts in the order in which the G-code lays them."""
    hand.slice()
    hand.window.files.export(str(target), force=True)
    hand.wait(lambda: target.exists() and hand.window.files.last_export.startswith(target.name))
    found = re.findall(r';es part="?(\w+)"?', target.read_text())
    return list(dict.fromkeys(found))


def test_parts_are_laid_in_the_order_that_is_given_and_the_others_after(three, tmp_path):
    hand = three
    group = hand.find(OrderFields, "group One by one")
    assert group.isVisible()
    hand.click(f"lay next {hand.part(0)}")
    assert names(hand) == ["c"]
    assert laid(hand, tmp_path / "one.gcode") == ["c", "a", "b"], "the lower of the others comes first"
    hand.desk.view.set("station", "Parts")
    hand.click(f"lay next {hand.part(1)}")
    hand.click(f"earlier {hand.part(1)}")
    assert names(hand) == ["b", "c"]
    assert laid(hand, tmp_path / "two.gcode") == ["b", "c", "a"]
    assert hand.desk.store.undo_name == "order of b"


def test_the_way_back_is_to_the_safest_order(three):
    hand = three
    before = hand.desk.job
    hand.click(f"lay next {hand.part(0)}")
    assert differences(before, hand.desk.job) == ["another order of parts"]
    hand.click(f"anywhere {hand.part(0)}")
    assert hand.desk.job.order == ()
    hand.key(Qt.Key.Key_Z, Held.ControlModifier)
    assert names(hand) == ["c"]


def test_there_is_no_order_while_parts_are_laid_together(three):
    hand = three
    hand.desk.store.do("together", edits.with_setting(hand.desk.job, "order.parts", "together"))
    assert not hand.find(OrderFields, "group One by one").isVisible()
