"""What is said of a line is what was planned for it, and the settings named are those that decide."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.job.shipped import DATA
from even_step.core.job.text import read_job_text
from even_step.core.job.zones import Zone
from even_step.core.line_why import line_story, speed_steps
from even_step.core.toolpath.roles import ROLE_NUMBER, ROLES
from tests import shapes
from tests.slicing_help import job_of, slice_again, slice_it


def first_of(done, role, layer=None):
    tool = done.sliced.toolpath
    mine = tool.role == ROLE_NUMBER[role]
    return int(np.flatnonzero(mine if layer is None else mine & (tool.layer_of_path() == layer))[0])


def story_of(done, path):
    tool = done.sliced.toolpath
    x, y = tool.xy[tool.start[path]]
    return line_story(done.sliced, path, (float(x), float(y)))


def reason(story, what):
    return next(one for one in story.reasons if one.what == what)


@pytest.mark.parametrize("name", ["arrow_job", "finial_job", "funnel_job"])
def test_the_steps_of_speed_come_to_what_was_planned_for_every_line(tmp_path, name):
    done = slice_again(tmp_path, read_job_text(DATA / "demo" / f"{name}.toml"))
    tool, plan = done.sliced.toolpath, done.sliced.plan
    layers = tool.layer_of_path()
    paths = np.unique(np.linspace(0, len(tool.role) - 1, 400).astype(int))
    for path in paths.tolist():
        actual = plan.speeds.feed[path] / 60.0 * plan.pace[layers[path]]
        assert speed_steps(done.sliced, path, int(layers[path]))[-1][0] == pytest.approx(actual, abs=1 / 60 + 1e-6)
        story = story_of(done, path)
        assert story.role == ROLES[tool.role[path]]
        assert reason(story, "speed").value == f"{actual:.1f} mm/s"


def test_the_first_layer_says_so_and_the_wall_over_it_names_its_own_settings(tmp_path):
    done = slice_it(tmp_path, shapes.box(40, 40, 6), {"walls.outer_line_width": 0.5, "cooling.least_layer_time": 0})
    low = story_of(done, first_of(done, "outer-wall", 0))
    assert reason(low, "height").key == "layers.first_height"
    assert "in the first layer" in reason(low, "speed").why
    assert "off before" in reason(low, "fan").why
    high = story_of(done, first_of(done, "outer-wall", 10))
    wide = reason(high, "width")
    assert (wide.value, wide.key, wide.origin) == ("0.50 mm", "walls.outer_line_width", "job")
    assert reason(high, "height").key == "layers.height"
    assert reason(high, "speed").why == "outer wall speed 50 mm/s"
    assert low.part_id == high.part_id != ""
    assert high.layer == 10


def test_a_layer_that_is_slowed_for_its_time_says_so(tmp_path):
    done = slice_it(tmp_path, shapes.box(8, 8, 4), {"cooling.least_layer_time": 20, "motion.small_loop_up_to": 0})
    told = reason(story_of(done, first_of(done, "outer-wall", 8)), "speed")
    assert told.key == "cooling.least_layer_time"
    assert "long enough" in told.why


def test_a_line_in_a_zone_names_it_and_takes_its_values_from_it(tmp_path):
    job = job_of(shapes.write_stl(tmp_path / "part.stl", shapes.box(40, 40, 6)))
    zone = Zone(name="core", shape="box", middle=(0, 0, 3), size=(20, 20, 8), settings={"infill.line_width": 0.6})
    job = job.model_copy(update={"parts": tuple(one.model_copy(update={"zones": (zone,)}) for one in job.parts)})
    done = slice_again(tmp_path, job)
    tool = done.sliced.toolpath
    inside = np.flatnonzero((tool.role == ROLE_NUMBER["infill"]) & (np.abs(tool.width - 0.6) < 0.01))
    path = int(inside[0])
    story = line_story(done.sliced, path, tuple(tool.xy[tool.start[path] : tool.start[path + 1]].mean(axis=0).tolist()))
    assert story.zones == ("core",)
    assert (reason(story, "width").key, reason(story, "width").origin) == ("infill.line_width", "zone")


def test_a_line_where_a_finding_lies_names_it(tmp_path):
    done = slice_it(tmp_path, shapes.box(60, 60, 4), {"infill.density": 2})
    number, told = next((k, one) for k, one in enumerate(done.sliced.findings) if one.code == "top-sags")
    tool = done.sliced.toolpath
    layer = np.flatnonzero(tool.layer_of_path() == told.layer)
    path = int(layer[tool.role[layer] == ROLE_NUMBER["solid"]][0])
    assert number in line_story(done.sliced, path, told.at_mm).findings
    assert line_story(done.sliced, path, (told.at_mm[0] + 30, told.at_mm[1])).findings == ()
