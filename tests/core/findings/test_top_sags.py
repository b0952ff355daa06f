"""Tops over sparse infill: the widest gap beneath, and the density that carries."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.findings.top_sags import CARRIES, CELLS
from even_step.core.job.zones import Zone
from even_step.core.plane.widest import free_circle
from tests import shapes
from tests.slicing_help import job_of, slice_again

DRUM = shapely.Point(0, 0).buffer(40)


def sags(done):
    return [one for one in done.report["findings"] if one["code"] == "top-sags"]


def drum(tmp_path, settings, tall=6.0):
    return job_of(shapes.write_stl(tmp_path / "drum.stl", shapes.extruded(DRUM, tall)), settings)


def test_the_widest_circle_between_lines_is_as_wide_as_the_gap():
    square = shapely.box(0, 0, 60, 40)
    lines = np.array([[(x, -5), (x, 50)] for x in (10.0, 22.0, 41.0, 50.0)])
    found = free_circle(square, lines, 0.5, 5.0)
    assert found.width == pytest.approx(18.5, abs=0.05)
    assert found.at[0] == pytest.approx(31.5, abs=0.05)
    assert free_circle(square, lines, 0.5, 19.0) is None
    assert free_circle(square, np.empty((0, 2, 2)), 0.5, 5.0).width == pytest.approx(40.0, abs=0.05)


@pytest.mark.parametrize("pattern", sorted(CELLS.keys() - {"branching"}))
def test_a_drum_at_a_few_percent_is_told_and_none_at_the_density_it_proposes(tmp_path, pattern):
    settings = {"infill.pattern": pattern, "infill.density": 2}
    (told,) = sags(slice_again(tmp_path, drum(tmp_path, settings)))
    assert told["severity"] == "warn"
    assert told["z_mm"] == pytest.approx(5.4, abs=0.21)  # where the lowest of four full layers is laid
    density = told["fix"]["settings"]["infill.density"]
    assert 2 < density < 50
    assert sags(slice_again(tmp_path, drum(tmp_path, {**settings, "infill.density": density}))) == []


def test_lines_at_two_percent_leave_a_gap_as_wide_as_their_spacing(tmp_path):
    (told,) = sags(slice_again(tmp_path, drum(tmp_path, {"infill.pattern": "lines", "infill.density": 2})))
    section = 0.2 * (0.45 - 0.2) + np.pi * 0.1**2
    spacing = section / 0.2 / 0.02
    assert told["amount"] == pytest.approx(spacing - 0.45, abs=0.1)
    assert told["amount"] > CARRIES * 0.8


def test_more_tops_carry_as_it_says(tmp_path):
    settings = {"infill.pattern": "lines", "infill.density": 4}
    (told,) = sags(slice_again(tmp_path, drum(tmp_path, settings)))
    layers = int(told["remedy"].split(" top layers")[0].split()[-1])
    assert sags(slice_again(tmp_path, drum(tmp_path, {**settings, "top.layers": layers - 1})))
    assert sags(slice_again(tmp_path, drum(tmp_path, {**settings, "top.layers": layers}))) == []


@pytest.mark.parametrize(
    "settings",
    [{}, {"infill.density": 2, "top.layers": 0}, {"infill.density": 2, "infill.pattern": "branching"}],
    ids=["as usual", "no tops", "branches that carry them"],
)
def test_what_is_carried_or_has_no_top_is_not_told(tmp_path, settings):
    assert sags(slice_again(tmp_path, drum(tmp_path, settings))) == []


def test_an_empty_part_is_told_and_filled(tmp_path):
    (told,) = sags(slice_again(tmp_path, drum(tmp_path, {"infill.density": 0})))
    assert told["amount"] == pytest.approx(80 - 4 * 0.45, abs=1.0)
    density = told["fix"]["settings"]["infill.density"]
    assert sags(slice_again(tmp_path, drum(tmp_path, {"infill.density": density}))) == []


def test_a_sparse_zone_is_told_with_it_and_its_button_changes_it(tmp_path):
    job = drum(tmp_path, {})
    sparse = Zone(id="z9", name="core", shape="box", middle=(0, 0, 3), size=(40, 40, 8), settings={"infill.density": 2})
    parts = tuple(part.model_copy(update={"zones": (sparse,)}) for part in job.parts)
    (told,) = sags(slice_again(tmp_path, job.model_copy(update={"parts": parts})))
    assert told["zone"] == "core"
    assert told["fix"]["zone"] == "z9"
