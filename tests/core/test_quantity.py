from __future__ import annotations

import pytest

from even_step.core.errors import SettingError
from even_step.core.quantity import quantity


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("12", "mm", 12.0),
        (" 12,5 mm ", "mm", 12.5),
        ("127/2", "mm", 63.5),
        ("2*(3+4)-1", "mm", 13.0),
        ("5 in", "mm", 127.0),
        ('1/2"', "mm", 12.7),
        ("−3", "°", -3.0),
        ("3 × 4", "", 12.0),
        ("15 %", "%", 15.0),
        ("2 cm", "mm", 20.0),
    ],
)
def test_numbers_sums_and_lengths_are_understood(text, unit, value):
    assert quantity(text, unit) == pytest.approx(value)


@pytest.mark.parametrize(
    "text",
    ["", "a", "1e", "__import__('os')", "9**9**9", "1/0", "5 furlongs", "nan", "1e400", "1" * 80, "(" * 70, "[1]"],
)
def test_anything_else_is_refused_in_one_line(text):
    with pytest.raises(SettingError) as caught:
        quantity(text, "mm")
    assert "\n" not in str(caught.value)


def test_a_length_is_no_angle():
    with pytest.raises(SettingError, match="no unit here"):
        quantity("5 in", "°")
