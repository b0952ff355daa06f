"""Find answers what people say."""

from __future__ import annotations

import pytest

from even_step.app.actions import BY_ID
from even_step.app.lay_words import LAY_WORDS
from even_step.app.stations.size_fields import length_or_factor
from even_step.app.widgets.find import Find, matches
from even_step.core.catalogue import CATALOGUE
from even_step.core.errors import EvenStepError


@pytest.mark.parametrize("words", LAY_WORDS)
def test_lay_words_lead_to_what_helps(block, words):
    found = {entry.title for entry in matches(block.window.reach.asking._entries(), words)}
    for name in LAY_WORDS[words]:
        title = CATALOGUE[name].label if name in CATALOGUE else BY_ID[name].title
        assert title in found


def test_all_lay_words_of_the_vocabulary_are_there():
    wanted = (
        "sticks badly, comes loose, warps, strings, hairs, rings on top, rough top, hole in top, weak, strong, hollow, "
        "faster, cheaper, quieter, vase, bigger, smaller, upside down, save, print, send, card, compare, brim, "
        "support, colour, second nozzle"
    )
    assert set(wanted.split(", ")) == set(LAY_WORDS)


def test_where_nothing_is_found_it_says_what_to_try(block):
    found = Find(block.window.reach.asking._entries(), block.window)
    found.field.setText("qwertz")
    assert found.list.count() == 1
    assert "Try one plain word" in found.list.item(0).text()
    found.deleteLater()


@pytest.mark.parametrize(
    ("text", "length"),
    [("half", 20), ("1/2", 20), ("50 %", 20), ("double", 80), ("30", 30), ("2 cm", 20), ("1 in", 25.4)],
)
def test_a_length_or_a_factor_of_it(text, length):
    assert length_or_factor(text, 40.0) == pytest.approx(length)


def test_what_is_neither_is_refused():
    with pytest.raises(EvenStepError):
        length_or_factor("long", 40.0)
