"""The cards of recipes tell what this job takes with each, measured beside the window."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt

from even_step.app.stations.recipe import RecipeCard
from even_step.core.job import edits
from even_step.core.job.model import Recipe
from even_step.core.job.shipped import find
from even_step.core.wording import clock, grams
from tests.shapes import box, write_stl


@pytest.fixture
def known(block):
    """The station Recipe with a figure on each card that can have one."""
    block.desk.view.set("station", "Recipe")
    block.wait(lambda: all(exact(block, name) for name in ("Quick", "Even", "Fine", "Sturdy")))
    return block


def exact(hand, name):
    figure = hand.desk.card_figures.of(find(Recipe, name))
    return figure is not None and figure.exact


def test_each_card_tells_what_a_slice_with_its_recipe_takes(known):
    hand = known
    fine = hand.desk.card_figures.of(find(Recipe, "Fine"))
    card = hand.find(RecipeCard, "recipe Fine")
    hand.wait(lambda: card.accessibleDescription() == f"{clock(fine.time)}, {grams(fine.mass)}")
    hand.click("recipe Fine")
    trial = hand.slice()
    assert trial.time == pytest.approx(fine.time)
    assert trial.mass == pytest.approx(fine.mass)


def test_what_is_outdated_is_marked_until_it_is_measured_again(known):
    hand = known
    before = hand.desk.card_figures.of(find(Recipe, "Quick"))
    hand.desk.store.do("dense", hand.desk.job.with_settings({"infill.density": 60}))
    old = hand.desk.card_figures.of(find(Recipe, "Quick"))
    assert (old.time, old.exact) == (before.time, False)
    assert hand.find(RecipeCard, "recipe Quick").accessibleDescription().startswith("≈ ")
    hand.wait(lambda: exact(hand, "Quick"))
    assert hand.desk.card_figures.of(find(Recipe, "Quick")).mass > before.mass


def test_a_slice_goes_first_and_nothing_is_measured_at_other_stations(hand, tmp_path):
    hand.drop(write_stl(tmp_path / "plate.stl", box(60, 60, 20)))
    hand.desk.view.set("station", "Recipe")
    hand.key(Qt.Key.Key_F5)
    hand.wait(lambda: bool(hand.desk.trials.all) and not hand.desk.trials.running)
    hand.desk.view.set("station", "Parts")
    hand.desk.store.do("dense", hand.desk.job.with_settings({"infill.density": 60}))
    hand.qtbot.wait(1200)
    assert not any(exact(hand, name) for name in ("Quick", "Fine"))


def test_a_recipe_that_fails_keeps_none_of_the_others_from_being_measured(hand, tmp_path):
    both = np.concatenate((box(10, 10, 5), box(10, 10, 5, at=(30, 0, 0))))  # two loops: no vase
    hand.drop(write_stl(tmp_path / "two.stl", both))
    hand.desk.store.do("vase", edits.with_recipe(hand.desk.job, find(Recipe, "Vase")))
    hand.desk.view.set("station", "Recipe")
    hand.wait(lambda: all(exact(hand, name) for name in ("Quick", "Even", "Fine", "Sturdy")))


def test_another_job_begins_with_empty_cards(known):
    known.window.files.new()
    assert known.desk.card_figures.of(find(Recipe, "Quick")) is None
    assert known.find(RecipeCard, "recipe Quick").accessibleDescription() == ""
