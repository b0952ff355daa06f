"""Changed settings that something else leaves without effect."""

from __future__ import annotations

import pytest

from even_step.core.catalogue import CATALOGUE
from even_step.core.findings import setting_idle
from tests.shapes import box
from tests.slicing_help import slice_it


def idle(folder, settings):
    findings = slice_it(folder, box(10, 10, 2), settings).report["findings"]
    return [one for one in findings if one["code"] == "setting-idle"]


@pytest.mark.parametrize(
    ("settings", "labels"),
    [
        ({"infill.density": 0, "infill.angle": 30}, ["Infill angle"]),
        ({"infill.pattern": "branching", "infill.end_run": 3}, ["End runs up to"]),
        ({"infill.pattern": "gyroid", "infill.grading": "walls"}, ["Infill grows denser"]),
        ({"infill.grading_depth": 4}, ["Near is within"]),
        ({"walls.count": 1, "walls.layers_at_once": 2, "layers.height": 0.1}, ["Inner walls at once"]),
        ({"walls.layers_at_once": 2, "layers.height": 0.3}, ["Inner walls at once"]),
        ({"walls.layers_at_once": 2, "layers.height": 0.3, "layers.follow_surface": True}, ["Layer height"]),
        ({"vase.on": True, "infill.density": 40, "top.layers": 3}, ["Infill density", "Top layers"]),
        ({"texture.tops": True, "vase.outer_loop": True}, ["Rough tops", "Outer loop alone"]),
        ({"travel.inside": False, "travel.way_round": 5}, None),
        ({"infill.pattern": "grid", "infill.grading": "walls", "infill.grading_depth": 1}, []),
        ({"infill.density": 30, "infill.angle": 30}, []),
        ({"layers.height": 0.3, "walls.layers_at_once": 1, "infill.pattern": "gyroid", "infill.grading": "none"}, []),
    ],
)
def test_what_has_no_effect_is_told_once(tmp_path, settings, labels):
    told = idle(tmp_path, settings)
    if labels is None:
        assert len(told) == 1
        return
    assert [one["message"].split(" has no effect")[0] for one in told] == labels
    assert all(one["severity"] == "note" and one["part"] == "" and one["layer"] == -1 for one in told)


def test_every_rule_names_settings_there_are():
    keys = {key for rule in setting_idle.RULES for key in rule.keys}
    assert keys <= set(CATALOGUE)


@pytest.mark.parametrize("pattern", ["lines", "concentric", "gyroid", "branching"])
def test_a_setting_told_as_idle_changes_nothing(tmp_path, pattern):
    """The rules for patterns hold: what is told has indeed no effect, what is not told has one."""
    base = {"infill.pattern": pattern, "infill.density": 25, "skirt.loops": 0, "layers.height": 0.1}
    plain = slice_it(tmp_path, box(30, 30, 4), base).gcode.read_bytes()
    for key, value in (("infill.angle", 10.0), ("infill.end_run", 1.0), ("infill.layers_at_once", 2)):
        done = slice_it(tmp_path, box(30, 30, 4), {**base, key: value})
        told = any(one["code"] == "setting-idle" for one in done.report["findings"])
        lines = [line for line in done.gcode.read_bytes().splitlines() if not line.startswith(b";")]
        before = [line for line in plain.splitlines() if not line.startswith(b";")]
        assert (lines == before) == told, (pattern, key)
