"""What holds for any solid and any recipe in range."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import shapely
from hypothesis import HealthCheck, given, settings

from even_step.core.motion.check import check_gcode
from tests.raster import layer_lines
from tests.slicing_help import slice_it
from tests.strategies import recipes, solids

few = settings(max_examples=12, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))


@few
@given(solids(), recipes())
def test_any_solid_with_any_recipe(facets, recipe):
    with tempfile.TemporaryDirectory() as name:
        done = slice_it(Path(name), facets, recipe)
        again = slice_it(Path(name), facets, recipe, threads=2)
        assert done.gcode.read_bytes() == again.gcode.read_bytes()
        checked = check_gcode(done.gcode)
    path, report = done.sliced.toolpath, done.report
    assert np.isfinite(path.xy).all()
    assert not checked.outside_volume
    assert abs(checked.time_s - report["time_s"]) <= 0.01 * report["time_s"] + 0.01
    for role, volume in report["volume_by_role_mm3"].items():
        assert abs(checked.volume_by_role_mm3.get(role, 0.0) - volume) <= 1e-3 * volume + 0.01
    heights = report["layers"]
    assert np.isclose(sum(heights["height_mm"]), heights["z_mm"][-1])
    assert np.isclose(sum(heights["time_s"]), report["time_s"])
    assert np.isclose(sum(report["time_by_role_s"].values()), report["time_s"])


@few
@given(solids(), recipes())
def test_no_wall_leaves_the_part(facets, recipe):
    with tempfile.TemporaryDirectory() as name:
        done = slice_it(Path(name), facets, {**recipe, "walls.count": max(1, recipe["walls.count"])})
    solid, at = done.sliced.solids[0], np.array(done.sliced.placed[0].at)
    for layer in range(0, done.sliced.toolpath.layers, 4):
        outline = solid.outlines.outline[solid.outlines.which[layer]].buffer(0.02)
        lines, widths = layer_lines(done.sliced.toolpath, layer, {0, 1})
        for line, width in zip(lines, widths, strict=True):
            assert outline.covers(shapely.LineString(line - at).buffer(width / 2, cap_style="flat").buffer(-1e-3))


@few
@given(solids(), recipes())
def test_a_full_solid_weighs_its_volume(facets, recipe):
    full = {**recipe, "infill.density": 100.0, "infill.line_width": 0.4, "walls.count": 2}
    with tempfile.TemporaryDirectory() as name:
        done = slice_it(Path(name), facets, full)
    region = sum(
        row["region_mm2"] * high
        for row, high in zip(done.report["ledger"]["layers"], done.report["layers"]["height_mm"], strict=True)
    )
    plastic = sum(done.report["volume_by_role_mm3"].values())
    assert 0.94 * region < plastic < 1.02 * region
