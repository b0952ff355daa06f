"""What a slice is held to, from geometry known in closed form."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely

from even_step.core.plane.bead import plastic_width
from even_step.core.toolpath.roles import INFILL, OUTER_WALL
from tests.plain_time import simulate
from tests.raster import Raster, layer_lines
from tests.shapes import ball, box, comb, holed_block, hollow_box, inside_out
from tests.slicing_help import laid, plain_moves

BARE = {"skirt.loops": 0}


def areas(done):
    return np.array([row["region_mm2"] for row in done.report["ledger"]["layers"]])


def test_a_cube_of_20_mm_has_100_layers_of_its_section(sliced):
    done = sliced(box(), BARE)
    assert done.report["layers"]["count"] == 100
    assert done.report["layers"]["z_mm"][-1] == pytest.approx(20.0)
    assert areas(done) == pytest.approx(400.0, rel=0.01)


def test_a_full_cube_weighs_its_volume(sliced):
    done = sliced(box(), {**BARE, "infill.density": 100})
    plastic = sum(done.report["volume_by_role_mm3"].values())
    assert 0.955 * 8000 < plastic < 1.02 * 8000


def test_the_outer_walls_edge_lies_on_the_contour(sliced):
    done = sliced(box(), BARE)
    path = done.sliced.toolpath
    lines, widths = layer_lines(path, 50, {OUTER_WALL})
    assert len(lines) == 1
    reach = np.abs(lines[0] - (110.0, 110.0)).max(axis=1) + widths[0] / 2
    assert np.abs(reach - 10.0).max() < 0.02


def test_sparse_infill_weighs_its_density_of_the_room(sliced):
    done = sliced(box(), {**BARE, "infill.density": 20, "infill.overlap": 0, "infill.end_run": 0})
    covers = done.sliced.solids[0].walls
    room = sum(float(covers.inner[covers.which[k]].area) for k in range(3, 96)) * 0.2
    assert done.report["volume_by_role_mm3"]["infill"] == pytest.approx(0.2 * room, rel=0.05)


def test_the_room_of_a_cube_is_what_three_walls_leave(sliced):
    fill = float(plastic_width(0.45, 0.2))
    side = 20 - 2 * (0.225 + fill / 2 + 2 * fill)
    walls = sliced(box(), BARE).sliced.solids[0].walls
    assert walls.inner[walls.which[50]].area == pytest.approx(side * side, rel=1e-4)


def test_a_balls_layers_sum_to_its_volume(sliced):
    done = sliced(ball(15, 5), BARE)
    volume = done.report["parts"][0]["volume_mm3"]
    assert volume == pytest.approx(4 / 3 * math.pi * 15**3, rel=2e-3)
    outlines = done.sliced.solids[0].outlines
    area = np.array([shape.area for shape in outlines.outline])[outlines.which]
    assert (area * np.array(done.report["layers"]["height_mm"])).sum() == pytest.approx(volume, rel=0.005)


def test_walls_follow_a_hole(sliced):
    done = sliced(holed_block(20, 8, 4), BARE)
    lines, widths = layer_lines(done.sliced.toolpath, 10, {OUTER_WALL})
    radii = [np.hypot(*(line - (110.0, 110.0)).T) for line in lines]
    round_ones = [r for r in radii if r.max() < 6]
    assert len(lines) == 2
    assert len(round_ones) == 1
    # The hole is a polygon of 128 sides simplified to 0.0125 mm; its wall's edge keeps to it.
    assert np.abs(round_ones[0] - widths[0] / 2 - 4.0).max() < 0.03


def test_a_cavity_stays_a_cavity(sliced):
    row = areas(sliced(hollow_box(20, 10), BARE))
    assert row[50] == pytest.approx(400 - 100, rel=0.01)
    assert row[5] == pytest.approx(400, rel=0.01)


def test_a_lone_inverted_ball_is_solid(sliced):
    right, wrong = sliced(ball(10, 4), BARE), sliced(inside_out(ball(10, 4)), BARE)
    assert areas(wrong).sum() == pytest.approx(areas(right).sum(), rel=1e-6)
    assert areas(wrong).sum() > 1000


@pytest.mark.parametrize("facets", [box(), ball(12, 4), comb()], ids=["box", "ball", "comb"])
def test_time_agrees_with_a_plain_simulation(sliced, facets):
    done = sliced(facets, {**BARE, "travel.lift": 0.4, "cooling.least_layer_time": 3})
    motion = done.sliced.job.machine.motion
    plain = simulate(plain_moves(done.gcode), motion.speed, motion.acceleration, motion.junction_deviation)
    assert done.report["time_s"] == pytest.approx(plain, rel=0.03)


def test_the_ledger_agrees_with_a_raster(sliced):
    done = sliced(comb(), BARE)
    layer = 12
    solid = done.sliced.solids[0]
    at = done.sliced.placed[0].at
    region = solid.outlines.outline[solid.outlines.which[layer]]
    raster = Raster(region)
    lines, widths = layer_lines(done.sliced.toolpath, layer)
    lines = [line - at for line in lines]
    drawn = raster.covered(lines, widths) > 0
    row = done.report["ledger"]["layers"][layer]
    assert raster.area(raster.region) == pytest.approx(row["region_mm2"], rel=0.01)
    assert raster.area(drawn & ~raster.region) == pytest.approx(row["outside_mm2"], abs=0.02 * row["region_mm2"])
    fills = [float(plastic_width(w, 0.2)) for w in widths]
    twice = np.maximum(raster.covered(lines, fills, round_ends=False) - 1, 0).sum() * 0.02**2
    assert twice == pytest.approx(row["overlap_mm2"], abs=0.02 * row["region_mm2"])


def test_a_full_layer_leaves_next_to_no_void(sliced):
    done = sliced(box(), {**BARE, "infill.density": 100})
    solid = done.sliced.solids[0]
    raster = Raster(solid.outlines.outline[0])
    lines, widths = layer_lines(done.sliced.toolpath, 0)
    void = raster.region & (raster.covered([line - (110, 110) for line in lines], widths) == 0)
    assert raster.area(void) < 0.01 * 400
    assert done.report["ledger"]["layers"][0]["void_mm2"] == pytest.approx(raster.area(void), abs=0.5)


def test_no_line_reaches_beyond_the_part(sliced):
    for facets in (box(), comb(), holed_block()):
        done = sliced(facets, BARE)
        for row in done.report["ledger"]["layers"]:
            assert row["outside_mm2"] < 0.02 * 4 * np.sqrt(row["region_mm2"]) * 2


def test_above_any_infill_lie_full_layers(sliced):
    done = sliced(ball(10, 4), {**BARE, "top.layers": 3, "bottom.layers": 2})
    path, solid = done.sliced.toolpath, done.sliced.solids[0]
    outline = solid.outlines
    at = np.array(done.sliced.placed[0].at)
    for layer in range(5, 80, 15):
        lines, _ = layer_lines(path, layer, {INFILL})
        points = np.concatenate(lines) - at if lines else np.empty((0, 2))
        middle = points.mean(axis=0) if len(points) else np.zeros(2)
        inner = middle + (points - middle) * 0.97  # the ends reach into the wall
        for step in (1, 2, 3, -1, -2):
            near = outline.outline[outline.which[layer + step]]
            assert shapely.contains_xy(near, inner[:, 0], inner[:, 1]).all()


def test_without_top_layers_the_infill_is_open(sliced):
    done = sliced(box(), {**BARE, "top.layers": 0})
    assert "top" not in done.report["volume_by_role_mm3"]
    assert len(layer_lines(done.sliced.toolpath, 99, {INFILL})[0]) > 0


def test_gcode_lays_what_the_report_says(sliced):
    done = sliced(box(), BARE)
    moves = laid(plain_moves(done.gcode))
    section = math.pi * 1.75**2 / 4
    assert sum(move.e for move in moves) * section == pytest.approx(
        sum(done.report["volume_by_role_mm3"].values()), rel=1e-3
    )
    assert {move.role for move in moves} == set(done.report["volume_by_role_mm3"])
