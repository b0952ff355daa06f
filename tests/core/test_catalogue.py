from __future__ import annotations

import dataclasses

import pytest

from even_step.core.catalogue import CATALOGUE, checked, find_setting
from even_step.core.catalogue.setting import Setting, settings_read_by, take
from even_step.core.errors import SettingError
from even_step.core.job.model import Machine, Material, Recipe
from even_step.core.job.shipped import shipped
from even_step.core.pipeline import STAGES, WRITTEN, stage_of

RECORDS = [record for records in STAGES.values() for record in records]


def test_every_setting_is_read_by_a_stage():
    read = {setting.key for record in RECORDS for setting in settings_read_by(record).values()} | set(WRITTEN)
    assert read == set(CATALOGUE)


def test_every_stage_is_named_for_its_settings():
    assert stage_of("infill.density") == "infill"
    assert stage_of("walls.count") == "walls"
    assert stage_of("motion.print_speed") == "motion"
    assert stage_of("layers.height") == "heights"


@pytest.mark.parametrize("setting", CATALOGUE.values(), ids=list(CATALOGUE))
def test_a_setting_explains_itself(setting):
    assert setting.label
    assert setting.label[0].isupper()
    assert len(setting.explanation) > 20
    assert setting.explanation.endswith(".")
    assert setting.cost, "each says what it costs"
    assert setting.value_of(setting.default) == setting.default
    if setting.type == "number" or setting.type == "integer":
        low, high = setting.range
        assert low <= float(setting.default) <= high
        assert setting.step > 0
    if setting.type == "choice":
        assert setting.default in setting.choices
        assert len(setting.choices) > 1 or setting.key == "foot.kind"  # brim and raft come with supports


def test_a_key_is_dotted_and_plain():
    for key in CATALOGUE:
        group, _, name = key.partition(".")
        assert group.isalpha()
        assert name.replace("_", "").isalpha()


@pytest.mark.parametrize(
    ("key", "text", "value"),
    [
        ("infill.density", "15", 15.0),
        ("infill.density", "15 %", 15.0),
        ("layers.height", "0.2mm", 0.2),
        ("walls.count", "4", 4),
        ("walls.count", 4.0, 4),
        ("infill.pattern", " Grid ", "grid"),
        ("motion.print_speed", "80 mm/s", 80.0),
    ],
)
def test_values_are_taken_in_the_ways_people_write_them(key, text, value):
    assert find_setting(key).value_of(text) == value


@pytest.mark.parametrize(
    ("key", "text", "told"),
    [
        ("infill.density", "101", "0 to 100 %"),
        ("infill.density", "-1", "0 to 100 %"),
        ("walls.count", "2.5", "whole"),
        ("walls.count", True, "whole"),
        ("layers.height", "nan", "number"),
        ("layers.height", "inf", "number"),
        ("layers.height", "thick", "number"),
        ("infill.pattern", "spaghetti", "lines, grid"),
        ("foot.kind", "glue", "bare"),
    ],
)
def test_what_is_refused_is_told_with_its_range(key, text, told):
    with pytest.raises(SettingError, match=told) as caught:
        find_setting(key).value_of(text)
    assert key in str(caught.value)


def test_an_unknown_key_is_refused_with_one_that_is_alike():
    with pytest.raises(SettingError, match=r"infill\.density"):
        find_setting("fill.density")
    with pytest.raises(SettingError, match="lists them"):
        checked({"warp.factor": 9})


def test_a_switch_takes_words():
    switch = Setting("a.b", "A", "switch", False, "Does something to something.")
    assert switch.value_of("on") is True
    assert switch.value_of("No") is False
    with pytest.raises(SettingError):
        switch.value_of("perhaps")


def test_records_are_frozen_and_filled_from_values():
    values = {key: setting.default for key, setting in CATALOGUE.items()}
    for record in RECORDS:
        given = {field.name: 1.0 for field in dataclasses.fields(record) if field.name not in settings_read_by(record)}
        filled = take(record, values, **given)
        with pytest.raises(dataclasses.FrozenInstanceError):
            setattr(filled, dataclasses.fields(record)[0].name, 0)


def test_what_ships_is_complete():
    assert set(shipped(Machine)) == {"Larch 220", "Larch 220 fine", "Alder 300 twin", "Rowan 240 round"}
    assert set(shipped(Material)) == {"PLA", "PETG", "ABS", "ASA", "TPU 95A", "soluble support"}
    assert {"Quick", "Even", "Fine", "Sturdy", "Figure"} <= set(shipped(Recipe))
    assert shipped(Machine)["Alder 300 twin"].extruders[1].bore == 0.6


@pytest.mark.parametrize(
    ("old", "value", "key", "now"),
    [
        ("adhesion.kind", "none", "skirt.loops", 0),
        ("adhesion.kind", "skirt", "foot.kind", "bare"),
        ("adhesion.skirt_loops", 3, "skirt.loops", 3),
        ("adhesion.line_width", 0.5, "skirt.line_width", 0.5),
        ("walls.thicken_thin", True, "walls.lone_line", True),
        ("travel.detour", 3, "travel.way_round", 3),
        ("infill.pattern", "star", "infill.pattern", "kagome"),
        ("top.pattern", "star", "top.pattern", "kagome"),
    ],
)
def test_what_earlier_versions_wrote_is_understood(old, value, key, now):
    assert checked({old: value}) == {key: now}


def test_words_of_another_trade_are_gone():
    words = {word for setting in CATALOGUE.values() for word in setting.synonyms}
    assert not words & {"encroach", "anchor"}
