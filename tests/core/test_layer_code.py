from __future__ import annotations

import re

import numpy as np
import pytest

from even_step.core.job import edits
from even_step.core.job.model import Machine, Material
from even_step.core.job.shipped import DATA, find
from even_step.core.job.text import read_job_text
from even_step.core.layer_code import code_of_layer
from even_step.core.toolpath.lines import lines_of
from tests import shapes
from tests.slicing_help import job_of, slice_again, slice_it


def place_after(lines, number):
    """Where the head is after a line: the last X and Y up to it."""
    found = {}
    for line in lines[number::-1]:
        for axis, value in re.findall(r"\b([XY])(-?[\d.]+)", line.partition(";")[0]):
            found.setdefault(axis, float(value))
        if len(found) == 2:
            break
    return found["X"], found["Y"]


def check_layer(done, layer, offsets=None):
    code = code_of_layer(done.sliced, layer)
    drawn = lines_of(done.sliced.toolpath)
    a, b = drawn.layer[layer : layer + 2]
    points = drawn.points[a:b, :2].astype(float)
    assert len(code.line) == len(points)
    assert (np.diff(code.line) >= 0).all()
    lines = code.text.splitlines()
    far = []
    for k in np.unique(np.linspace(0, len(points) - 1, 60).astype(int)):
        meant = points[k] - (0 if offsets is None else offsets[done.sliced.toolpath.extruder[drawn.path[a + k]]])
        far.append(np.abs(np.array(place_after(lines, int(code.line[k]))) - meant).max())
    # A loop ends a little short of its seam.
    assert np.mean(np.array(far) < 0.002) > 0.9
    assert max(far) < 1.0
    return code


@pytest.mark.parametrize("name", ["arrow_job", "funnel_job"])
def test_each_point_has_the_line_that_comes_to_it(tmp_path, name):
    done = slice_again(tmp_path, read_job_text(DATA / "demo" / f"{name}.toml"))
    written = done.gcode.read_text()
    for layer in (1, done.sliced.toolpath.layers // 2, done.sliced.toolpath.layers - 1):
        assert check_layer(done, layer).text in written, "just as in the file"


def test_the_first_layer_with_its_clear_way_and_layers_that_are_laid_alike(tmp_path):
    done = slice_it(tmp_path, shapes.box(20, 20, 4))
    written = done.gcode.read_text()
    for layer in (0, 7, 8):
        assert check_layer(done, layer).text in written


def test_with_two_nozzles_the_head_goes_beside(tmp_path):
    job = job_of(shapes.write_stl(tmp_path / "part.stl", shapes.box(20, 20, 4)))
    job = edits.with_material(edits.on_machine(job, find(Machine, "Alder 300 twin")), 1, find(Material, "PETG"))
    done = slice_again(tmp_path, edits.with_setting(job, "extruder.infill", 2))
    offsets = np.array([one.offset for one in job.machine.extruders])[:, :2]
    check_layer(done, 5, offsets)
