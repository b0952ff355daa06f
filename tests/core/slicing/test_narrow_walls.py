"""Narrow places: lines whose width follows the room, seen on a fine grid that knows nothing of them."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely

from even_step.core.plane import region
from even_step.core.plane.axis import axes
from even_step.core.plane.axis_ends import BACK
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.segments import edges_of, first_met, grid_of, nearest_edge
from even_step.core.slicing.width_parts import WIDTH_STEP, parted_by_width
from even_step.core.toolpath.roles import GAP_FILL, INNER_WALL, OUTER_WALL
from tests.raster import Raster, layer_lines
from tests.shapes import box, extruded, narrow_plans
from tests.slicing_help import slice_it

PLANS = narrow_plans()
FULL = {"skirt.loops": 0, "infill.density": 100}
LAYER = 2


def placed(plan):
    """The plan where slicing puts it: its middle on the middle of the bed."""
    x0, y0, x1, y1 = plan.bounds
    return shapely.affinity.translate(plan, 110 - (x0 + x1) / 2, 110 - (y0 + y1) / 2)


@pytest.fixture(scope="module")
def narrow(tmp_path_factory):
    return {
        name: slice_it(tmp_path_factory.mktemp("narrow"), extruded(plan, 0.8), FULL) for name, plan in PLANS.items()
    }


@pytest.mark.parametrize("name", PLANS)
def test_a_narrow_shape_comes_out_full_and_nothing_lies_twice(narrow, name):
    plan = placed(PLANS[name])
    lines, widths = layer_lines(narrow[name].sliced.toolpath, LAYER)
    raster = Raster(plan, margin=1.003)  # no point lies just on an edge
    drawn = raster.covered(lines, widths) > 0
    most_void = 0.02 if "wedge" in name else 0.01  # its tip is thinner than any line
    assert raster.area(raster.region & ~drawn) < most_void * plan.area
    assert raster.area(drawn & ~shapely.contains_xy(plan.buffer(0.06), raster.grid_x, raster.grid_y)) < 0.02
    ledger = narrow[name].report["ledger"]["layers"][LAYER]
    assert ledger["overlap_mm2"] < 0.02 * plan.area
    assert ledger["void_mm2"] == pytest.approx(raster.area(raster.region & ~drawn), abs=0.004 * plan.area)


@pytest.mark.parametrize("name", PLANS)
def test_no_line_is_narrower_or_wider_than_the_nozzle_lays(narrow, name):
    _, widths = layer_lines(narrow[name].sliced.toolpath, LAYER, {OUTER_WALL, INNER_WALL, GAP_FILL})
    assert min(widths) >= 0.6 * 0.4 - 1e-6
    assert max(widths) <= 1.8 * 0.4 + 1e-6


@pytest.mark.parametrize("thick", [0.3, 0.45, 0.6, 0.63])
def test_a_wall_of_one_line_is_one_line_as_wide_as_the_wall(sliced, thick):
    lines, widths = layer_lines(sliced(box(20, thick, 1), FULL).sliced.toolpath, LAYER)
    assert len(lines) == 1
    assert widths[0] == pytest.approx(thick, abs=0.005)
    assert np.abs(lines[0][:, 1] - 110).max() < 0.005
    assert np.ptp(lines[0][:, 0]) == pytest.approx(20 - thick, abs=0.1)


@pytest.mark.parametrize("thick", [0.65, 0.7, 0.8, 0.95, 1.05])
def test_a_wall_of_two_lines_is_one_loop_whose_lines_share_the_thickness(sliced, thick):
    path = sliced(box(20, thick, 1), FULL).sliced.toolpath
    lines, widths = layer_lines(path, LAYER)
    share = (thick + 0.2 * (1 - np.pi / 4)) / 2  # two lines, their round edges one upon the other
    long = [wide for line, wide in zip(lines, widths, strict=True) if np.ptp(line[:, 0]) > 5]
    assert long == pytest.approx([share] * len(long), abs=WIDTH_STEP)
    points = np.concatenate(lines)
    off = np.abs(points[np.abs(points[:, 0] - 110) < 9, 1] - 110)
    assert off == pytest.approx(np.full(len(off), (thick - share) / 2), abs=WIDTH_STEP / 2)
    ends = [line[0] for line in lines[1:]] + [lines[0][0]]
    assert np.array([line[-1] for line in lines]) == pytest.approx(np.array(ends))


@pytest.mark.parametrize(("gap", "many"), [(0.25, 1), (0.5, 1), (0.59, 1), (0.65, 2), (0.9, 2)])
def test_the_gap_between_inner_walls_is_filled(sliced, gap, many):
    inner = float(plastic_width(0.45, 0.2))
    thick = 0.45 + 5 * inner + gap  # three lines a side and what is left
    lines, widths = layer_lines(sliced(box(20, thick, 1), FULL).sliced.toolpath, LAYER, {GAP_FILL})
    assert len(lines) == many
    for line, wide in zip(lines, widths, strict=True):
        assert float(plastic_width(wide, 0.2)) == pytest.approx(gap / many, abs=0.005)
        assert np.abs(line[:, 1] - 110) == pytest.approx(np.full(len(line), (many - 1) * gap / 4), abs=0.005)


def test_where_all_walls_fit_none_changes_its_width(sliced):
    _, widths = layer_lines(sliced(box(20, 20, 1), FULL).sliced.toolpath, LAYER, {OUTER_WALL, INNER_WALL})
    assert widths == pytest.approx([0.45] * 3)


def test_the_middle_of_a_bar_ends_where_a_round_line_end_fills_it():
    bar = np.array([shapely.MultiPolygon([shapely.box(0, 0, 10, 0.6)])], object)
    found = axes(bar, region.rings(bar), 0.7, 0.25)
    assert list(found.item) == [0]
    assert found.xy[:, 1] == pytest.approx(np.full(len(found.xy), 0.3), abs=0.02)
    assert sorted((found.xy[0, 0], found.xy[-1, 0])) == pytest.approx([0.3, 9.7], abs=0.15)
    assert found.radius == pytest.approx(np.full(len(found.xy), 0.3), abs=0.04)


def test_at_the_middle_of_a_cross_one_line_runs_straight_through():
    cross = shapely.union_all([shapely.box(-5, -0.3, 5, 0.3), shapely.box(-0.3, -5, 0.3, 5)])
    shape = np.array([shapely.MultiPolygon([cross])], object)
    found = axes(shape, region.rings(shape), 1.0, 0.25)
    spans = np.array([np.ptp(found.xy[a:b], axis=0) for a, b in itertools.pairwise(found.start)])
    through = spans[spans.max(axis=1) > 9]
    assert len(through) == 1
    assert through.min() < 0.3
    # The other two end short of it, lest they lie on it.
    assert spans.max(axis=1).sum() == pytest.approx(2 * 9.4 - 2 * BACK * 0.3 * np.sqrt(2), abs=0.5)


def test_the_middle_of_a_ring_closes():
    ring = shapely.Point(0, 0).buffer(5).difference(shapely.Point(0, 0).buffer(4.5))
    shape = np.array([shapely.MultiPolygon([ring])], object)
    found = axes(shape, region.rings(shape), 0.7, 0.25)
    assert len(found.item) == 1
    assert found.xy[0] == pytest.approx(found.xy[-1])
    assert np.hypot(*found.xy.T) == pytest.approx(np.full(len(found.xy), 4.75), abs=0.05)


def test_edges_in_a_grid_are_found_as_by_looking_at_all_of_them():
    shape = shapely.Point(0, 0).buffer(10, quad_segs=40).difference(shapely.box(-4, -4, 4, 4))
    rings = region.rings(np.array([shapely.MultiPolygon([shape])], object))
    edges = edges_of(rings.xy, rings.start)
    frame, first, item = grid_of(edges, 0.7)
    rng = np.random.default_rng(4)
    for x, y in rng.uniform(-11, 11, (200, 2)):
        far = shapely.Point(x, y).distance(shape.boundary)
        assert nearest_edge(edges, frame, first, item, x, y, 2.0) == pytest.approx(min(far, 2.0), abs=1e-3)
        turn = rng.uniform(0, 2 * np.pi)
        dx, dy = np.cos(turn), np.sin(turn)
        met, edge = first_met(edges, frame, first, item, x, y, dx, dy, 3.0)
        crossing = shapely.LineString([(x, y), (x + 3 * dx, y + 3 * dy)]).intersection(shape.boundary)
        if crossing.is_empty:
            assert edge == -1
        else:
            assert met == pytest.approx(crossing.distance(shapely.Point(x, y)), abs=1e-3)


def test_a_line_is_parted_where_its_width_has_changed_by_a_step():
    xy = np.stack((np.linspace(0, 10, 101), np.zeros(101)), axis=1)
    width = np.linspace(0.3, 0.7, 101)
    points, start, mean, origin = parted_by_width(xy, np.array([0, 101]), width)
    assert (origin == 0).all()
    assert len(mean) == pytest.approx(0.4 / WIDTH_STEP, abs=2)
    long = np.array([np.hypot(*np.diff(points[a:b], axis=0).T).sum() for a, b in itertools.pairwise(start)])
    assert long.sum() == pytest.approx(10)
    assert long @ mean == pytest.approx(width[:-1].mean() * 10)
    assert (points[start[1:-1]] == points[start[1:-1] - 1]).all()
