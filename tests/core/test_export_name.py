"""Names of exported files are made of a pattern."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_step.core.errors import OutputError, SettingError
from even_step.core.export_name import MOST, PLACES, file_name
from even_step.core.output import require_room

FACTS = {"job": "Tarn Hollow: post/2", "trial": "7", "machine": "Larch 220", "time": "2h05"}


def test_places_are_filled_and_what_no_name_may_hold_is_left_out():
    assert file_name("{job}", FACTS) == "Tarn_Hollow_post_2"
    assert file_name("{trial}_{job}_{time}", FACTS) == "7_Tarn_Hollow_post_2_2h05"
    assert file_name("../{machine}", FACTS) == "Larch_220"
    assert file_name("{mass}", FACTS) == "job"


@pytest.mark.parametrize("pattern", ["{nozzle}", "{job", "}", "{}", "{job!r}", "{job:>9}", "{0}"])
def test_what_is_no_place_is_refused_with_those_there_are(pattern):
    with pytest.raises(SettingError, match=r"\{job\}"):
        file_name(pattern, FACTS)


@given(st.text(max_size=300), st.text(max_size=300))
def test_any_text_makes_a_plain_name_or_is_refused(pattern, job):
    try:
        name = file_name(pattern, {"job": job})
    except SettingError:
        return
    assert 0 < len(name) <= MOST
    assert not set(name) & set("/\\:\0 ")
    assert not name.startswith(".")


def test_every_place_is_filled():
    assert file_name("".join(f"{{{place}}}" for place in PLACES), dict.fromkeys(PLACES, "x")) == "x" * len(PLACES)


def test_too_little_room_is_told_before_anything_is_written(tmp_path):
    require_room(tmp_path / "a.gcode", 1000)
    with pytest.raises(OutputError, match=r"a\.gcode: needs about .* MB are free"):
        require_room(tmp_path / "a.gcode", 10**17)
    require_room(tmp_path / "nowhere" / "a.gcode", 10**17)
