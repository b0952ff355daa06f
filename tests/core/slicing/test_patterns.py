"""Infill and cover patterns: weight, reach, joins, and where they grow denser."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely
import trimesh

from even_step.core.catalogue.covers import PATTERNS as COVER_PATTERNS
from even_step.core.catalogue.infill import OF_LINES
from even_step.core.plane.bead import plastic_width
from even_step.core.slicing.patterns.curves import GYROID_LENGTH, gyroid, hilbert
from even_step.core.slicing.patterns.families import FAMILIES
from even_step.core.slicing.patterns.pattern import PatternLayout, Rooms, fill
from even_step.core.toolpath.roles import INFILL, TOP
from even_step.core.work import Crew
from tests.raster import Raster, layer_lines
from tests.shapes import ball, box, extruded
from tests.slicing_help import slice_it

BARE = {"skirt.loops": 0, "infill.end_run": 0, "infill.overlap": 0}
PATTERNS = ["lines", "grid", "triangles", "kagome", "cubic", "honeycomb", "gyroid", "concentric", "hilbert"]
FILLED = float(plastic_width(0.45, 0.2))


def length_of(lines):
    return sum(float(np.hypot(*np.diff(line, axis=0).T).sum()) for line in lines)


def as_lines(strokes):
    return shapely.union_all([shapely.LineString(strokes.xy[a:b]) for a, b in itertools.pairwise(strokes.start)])


def laid(pattern, share, at=(0.0, 0.0), side=47.0, layers=40, **more):
    """Lines of a pattern in equal square rooms over some layers."""
    x, y = at
    room = shapely.MultiPolygon([shapely.box(x, y, x + side, y + side)])
    rooms = Rooms(
        np.array([room] * layers, object), np.full(layers, FILLED), 0.2 * np.arange(layers), np.arange(layers)
    )
    return fill(rooms, PatternLayout(pattern, share, 45.0, (0.0, 0.0), **more), Crew(1))


@pytest.mark.parametrize("pattern", PATTERNS)
@pytest.mark.parametrize("share", [0.1, 0.2, 0.4, 0.6])
def test_every_pattern_weighs_its_density(pattern, share):
    side, layers, places = 47.0, int(10 / share), [(0, 0), (1.3, 0.4), (0.7, 2.1), (3.1, 1.7)]
    total = 0.0
    for at in places:
        strokes = laid(pattern, share, at, side, layers)
        step = np.hypot(*np.diff(strokes.xy, axis=0).T)
        step[strokes.start[1:-1] - 1] = 0.0
        total += float(step.sum())
    plastic = total * FILLED / (len(places) * layers * side * side)
    assert plastic == pytest.approx(share, rel=0.03)


@pytest.mark.parametrize("pattern", PATTERNS)
def test_a_sliced_cube_weighs_its_density_too(tmp_path, pattern):
    done = slice_it(tmp_path, box(50, 50, 3.2), {**BARE, "infill.pattern": pattern, "infill.density": 20})
    walls = done.sliced.solids[0].walls
    room = float(walls.inner[walls.which[8]].area) * (16 - 7) * 0.2
    assert done.report["volume_by_role_mm3"]["infill"] / room == pytest.approx(0.2, rel=0.05)


@pytest.mark.parametrize("pattern", [*PATTERNS, "branching"])
def test_no_pattern_leaves_its_room(tmp_path, pattern):
    done = slice_it(tmp_path, ball(12, 4), {**BARE, "infill.pattern": pattern, "infill.end_run": 5})
    solid = done.sliced.solids[0]
    path = done.sliced.toolpath
    for layer in range(0, path.layers, 7):
        room = shapely.affinity.translate(solid.covers.room[solid.covers.which[layer]], 110, 110)
        lines, _ = layer_lines(path, layer, {INFILL})
        for line in lines:
            assert shapely.LineString(line).within(room.buffer(0.03))


@pytest.mark.parametrize("pattern", PATTERNS)
def test_from_90_percent_on_every_pattern_is_lines(tmp_path, pattern):
    done = slice_it(tmp_path, box(20, 20, 3), {**BARE, "infill.pattern": pattern, "infill.density": 95})
    lines, _ = layer_lines(done.sliced.toolpath, 7, {INFILL})
    steps = np.concatenate([np.diff(line, axis=0) for line in lines])
    long = steps[np.hypot(*steps.T) > 1.0]
    turns = np.degrees(np.arctan2(long[:, 1], long[:, 0])) % 180
    assert np.ptp(turns) < 0.2


def test_the_gyroids_length_is_what_quadrature_gives():
    total, heights = 0.0, np.linspace(0, 2 * np.pi, 400, endpoint=False) + 0.003
    low, high = np.array([0.0, 0.0]), np.array([20 * np.pi, 20 * np.pi])
    unit = GYROID_LENGTH * 1.0 / 1.0 / (2 * np.pi)
    square = shapely.box(0, 0, 20 * np.pi * unit, 20 * np.pi * unit)
    for z in heights[::20]:
        lines = gyroid(low * unit, high * unit, 1.0, GYROID_LENGTH, z * unit)
        total += sum(shapely.LineString(line).intersection(square).length for line in lines)
    assert total / len(heights[::20]) / square.area == pytest.approx(1.0, rel=0.01)


def test_a_gyroid_lies_on_its_surface():
    unit = GYROID_LENGTH * 0.4 / 0.2 / (2 * np.pi)
    for z in (0.0, 1.0, 2.7, 7.3):
        for line in gyroid(np.array([-20.0, -20.0]), np.array([20.0, 20.0]), 0.4, GYROID_LENGTH * 0.4 / 0.2, z):
            x, y = line.T / unit
            w = z / unit
            level = np.sin(x) * np.cos(y) + np.sin(y) * np.cos(w) + np.sin(w) * np.cos(x)
            assert np.abs(level).max() < 1e-9


def test_a_hilbert_curve_visits_every_cell_once_and_steps_to_a_neighbour():
    lines = hilbert(np.array([0.2, 0.2]), np.array([9.8, 9.8]), 0.5, 1.0, 0.0)
    cells = np.concatenate(lines)
    assert len(np.unique(np.round(cells, 6), axis=0)) == len(cells)
    inside = cells[((cells > 0) & (cells < 10)).all(axis=1)]
    assert len(inside) == 100
    for line in lines:
        assert np.abs(np.diff(line, axis=0)).sum(axis=1) == pytest.approx(np.ones(len(line) - 1))


def test_full_lines_are_not_joined_across_a_notch_between_two_rows():
    notched = shapely.Polygon([(-4, -3.9), (4, -3.9), (4, 0.5), (2.5, 0.6), (4, 0.7), (4, 3.9), (-4, 3.9)])
    rooms = Rooms(np.array([notched], object), np.array([0.4]), np.array([1.0]), np.array([0]))
    made = fill(rooms, PatternLayout("lines", 1.0, 0.0, (0.0, 0.0)), Crew(1))
    lines = [shapely.LineString(made.xy[a:b]) for a, b in itertools.pairwise(made.start)]
    assert len(lines) == 2, "one below the notch, one above"
    assert shapely.union_all(lines).difference(notched.buffer(1e-3)).length == 0.0


@pytest.mark.parametrize("pattern", ["gyroid", "cubic", "honeycomb", "triangles"])
def test_neighbouring_rooms_meet_in_one_pattern(pattern):
    whole, left, right = (laid(pattern, 0.2, at, side, 1) for at, side in (((0, 0), 40), ((0, 0), 20), ((20, 0), 20)))
    both = shapely.union_all(
        [shapely.LineString(some.xy[a:b]) for some in (left, right) for a, b in itertools.pairwise(some.start)]
    )
    near = both.buffer(0.05)
    for a, b in itertools.pairwise(whole.start):
        line = shapely.LineString(whole.xy[a:b]).intersection(shapely.box(1, 1, 39, 19))
        assert line.length == pytest.approx(line.intersection(near).length, abs=0.05)


@pytest.mark.parametrize("pattern", ["lines", "grid", "honeycomb", "gyroid"])
def test_end_runs_join_lines_along_the_wall_and_only_there(pattern):
    bare, joined = laid(pattern, 0.2, layers=1), laid(pattern, 0.2, layers=1, end_run=8.0)
    assert len(joined.start) < 0.5 * len(bare.start)
    wall = shapely.box(0, 0, 47, 47).buffer(-FILLED / 2, join_style="mitre")
    inside = wall.buffer(-0.1)
    off = as_lines(joined).intersection(inside).difference(as_lines(bare).buffer(0.01))
    assert off.length < 0.1
    assert as_lines(joined).within(wall.buffer(0.01))


def test_an_end_run_is_no_longer_than_asked():
    spacing = FILLED / 0.1
    bare, joined = (laid("lines", 0.1, layers=1, end_run=run) for run in (0.9 * spacing, 3 * spacing))
    assert len(bare.start) > len(joined.start)


def test_thick_infill_is_laid_once_for_its_layers_and_weighs_the_same(sliced):
    thin, thick = (
        sliced(box(40, 40, 6), {**BARE, "layers.height": 0.1, "infill.density": 20, "infill.layers_at_once": n})
        for n in (1, 3)
    )
    role = thick.sliced.toolpath.role == INFILL
    assert np.unique(np.round(thick.sliced.toolpath.height[role], 3)) == pytest.approx([0.1, 0.3])
    with_infill = np.unique(thick.sliced.toolpath.layer_of_path()[role & (thick.sliced.toolpath.height > 0.2)])
    assert set(np.diff(with_infill)) == {3}
    assert thick.report["volume_by_role_mm3"]["infill"] == pytest.approx(
        thin.report["volume_by_role_mm3"]["infill"], rel=0.06
    )
    assert thick.report["time_s"] < thin.report["time_s"]


def test_thick_infill_stays_below_what_the_nozzle_lays(sliced):
    done = sliced(box(40, 40, 6), {**BARE, "layers.height": 0.2, "infill.layers_at_once": 4})
    path = done.sliced.toolpath
    assert path.height[path.role == INFILL].max() == pytest.approx(0.2)  # two layers would be 0.4: over 0.8 of 0.4


@pytest.mark.parametrize("to", ["walls", "tops"])
def test_graded_infill_is_denser_near_the_surface(sliced, to):
    settings = {**BARE, "infill.pattern": "grid", "infill.density": 40, "infill.grading_depth": 5}
    even, graded = (sliced(box(50, 50, 20), {**settings, "infill.grading": kind}) for kind in ("none", to))
    assert graded.report["volume_by_role_mm3"]["infill"] < 0.9 * even.report["volume_by_role_mm3"]["infill"]

    def share(done, layer, where):
        lines, _ = layer_lines(done.sliced.toolpath, layer, {INFILL})
        inside = sum(shapely.LineString(line).intersection(where).length for line in lines)
        return inside * FILLED / where.area

    middle, edge = shapely.box(100, 100, 120, 120), shapely.box(87, 95, 90, 125)
    low, high = (50, 93) if to == "tops" else (50, 50)
    # The middle lies 14 to 24 mm within the walls, where cells have mostly doubled twice; below the tops once.
    assert share(graded, low, middle) == pytest.approx(0.12 if to == "walls" else 0.2, abs=0.05)
    assert share(graded, high, edge if to == "walls" else middle) == pytest.approx(0.4, abs=0.08)


@pytest.mark.parametrize("pattern", ["grid", "triangles", "kagome", "cubic", "lines"])
def test_cells_double_as_often_as_the_room_allows_and_no_line_is_laid_twice(tmp_path, pattern):
    settings = {**BARE, "infill.pattern": pattern, "infill.density": 40, "infill.grading_depth": 2, "infill.end_run": 0}
    even, graded = (
        slice_it(tmp_path, box(60, 60, 12), {**settings, "infill.grading": kind}) for kind in ("none", "walls")
    )
    saved = graded.report["volume_by_role_mm3"]["infill"] / even.report["volume_by_role_mm3"]["infill"]
    assert saved < 0.4  # an eighth in the middle, 14 mm and more from the walls
    assert graded.report["ledger"]["overlap_mm2"] < 1.05 * even.report["ledger"]["overlap_mm2"]


def test_a_part_too_small_for_larger_cells_is_filled_as_without_and_says_so(sliced):
    settings = {**BARE, "infill.pattern": "grid", "infill.density": 40}
    even, graded = (sliced(box(6, 6, 6), {**settings, "infill.grading": kind}) for kind in ("none", "walls"))
    assert graded.report["volume_by_role_mm3"]["infill"] == pytest.approx(even.report["volume_by_role_mm3"]["infill"])
    told = [finding for finding in graded.report["findings"] if finding["code"] == "setting-idle"]
    assert len(told) == 1
    assert "too small" in told[0]["message"]


def test_thick_infill_for_an_even_number_of_layers_crosses(sliced):
    settings = {
        **BARE,
        "layers.height": 0.1,
        "layers.first_height": 0.1,
        "infill.layers_at_once": 2,
        "infill.density": 15,
    }
    path = sliced(box(30, 30, 4), {**settings, "infill.pattern": "lines", "infill.end_run": 0}).sliced.toolpath
    angles = []
    for layer in range(path.layers):
        lines, _ = layer_lines(path, layer, {INFILL})
        steps = [np.diff(np.asarray(line), axis=0) for line in lines]
        long = [step for step in np.concatenate(steps) if np.hypot(*step) > 10] if steps else []
        angles += [round(float(np.degrees(np.arctan2(long[0][1], long[0][0]))) % 180)] if long else []
    assert len(angles) > 6
    assert all(a != b for a, b in itertools.pairwise(angles))


@pytest.mark.parametrize("pattern", COVER_PATTERNS)
def test_every_cover_pattern_is_full(sliced, pattern):
    done = sliced(box(24, 24, 2), {**BARE, "top.pattern": pattern, "bottom.pattern": pattern})
    volume = done.report["volume_by_role_mm3"]
    room = 24 - 2 * (0.45 / 2 + 2.5 * FILLED)
    assert volume["top"] == pytest.approx(room * room * 0.2, rel=0.06)
    lines, widths = layer_lines(done.sliced.toolpath, 9, {TOP})
    if pattern in ("lines", "concentric", "hilbert", "star-spiral"):
        raster = Raster(shapely.box(110 - room / 2, 110 - room / 2, 110 + room / 2, 110 + room / 2), margin=0.2)
        drawn = raster.covered(lines, widths) > 0
        ragged = 0.035 if pattern == "hilbert" else 0.02  # its cells do not end where the room does
        assert raster.area(raster.region & ~drawn) < ragged * room * room


def test_covers_follow_a_thickness_where_it_gives_more(sliced):
    settings = {**BARE, "layers.height": 0.1, "layers.first_height": 0.1}
    done = sliced(box(20, 20, 5), {**settings, "top.thickness": 1.0, "bottom.thickness": 0.2})
    path = done.sliced.toolpath
    layer = path.layer_of_path()
    infill = np.unique(layer[path.role == INFILL])
    assert path.layers - 1 - infill.max() == 10
    assert infill.min() == 3


def test_top_lines_are_laid_row_by_row(sliced):
    holed = box(30, 30, 2)
    done = sliced(np.concatenate((holed, box(8, 8, 3, (-5, 3, 0)))), {**BARE, "top.angle": 90})
    path = done.sliced.toolpath
    lines, _ = layer_lines(path, 9, {TOP})
    rows = [
        (min(x0, x1), max(x0, x1), y0)
        for line in lines
        for (x0, y0), (x1, y1) in itertools.pairwise(line)
        if abs(y1 - y0) < 0.01 and abs(x1 - x0) > 1.0
    ]
    beside = [
        np.sign(b[2] - a[2])
        for a, b in itertools.combinations(rows, 2)
        if 0.05 < abs(b[2] - a[2]) < 0.6 and a[0] < b[1] - 0.5 and a[1] > b[0] + 0.5
    ]
    assert len(rows) > 40
    assert abs(sum(beside)) == len(beside), "a row is laid on the other side of one that lies already"


def test_branching_infill_carries_a_dome_with_less_than_half_of_a_grid(tmp_path):
    """A 60 mm cylinder with a dome on it; every line hangs over no more than a bridge, or stands out by the limit."""
    turn = np.linspace(0, np.pi / 2, 40)
    profile = [(0, 0), *((30 * np.cos(a), 30 + 30 * np.sin(a)) for a in turn[:-1]), (0, 60)]
    facets = trimesh.creation.revolve(np.array(profile), sections=96).triangles
    settings = {**BARE, "infill.density": 15}
    done = slice_it(tmp_path, facets, {**settings, "infill.pattern": "branching"})
    grid = slice_it(tmp_path, facets, {**settings, "infill.pattern": "grid"})
    ours, theirs = (one.report["volume_by_role_mm3"]["infill"] for one in (done, grid))
    assert 0 < ours < 0.5 * theirs
    path, solid = done.sliced.toolpath, done.sliced.solids[0]
    covers = solid.covers
    for layer in range(60, path.layers - 8, 9):
        lines, _ = layer_lines(path, layer, {INFILL})
        below, _ = layer_lines(path, layer - 1, {INFILL})
        room_below = shapely.affinity.translate(covers.room[covers.which[layer - 1]], 110, 110)
        held = shapely.union_all([shapely.LineString(line) for line in below]).buffer(0.2 + 0.06)
        for line in lines:
            free = shapely.LineString(line).intersection(room_below.buffer(-0.26)).difference(held)
            assert max((part.length for part in shapely.get_parts(free)), default=0.0) <= 10.0
        room = shapely.affinity.translate(covers.room[covers.which[layer]], 110, 110)
        above = shapely.affinity.translate(covers.room[covers.which[layer + 1]], 110, 110)
        carried = room.difference(above).difference(shapely.union_all([shapely.LineString(line) for line in lines]))
        for part in shapely.get_parts(carried.buffer(-0.1)):
            assert part.is_empty or 2 * shapely.maximum_inscribed_circle(part).length <= 10.0


@pytest.mark.parametrize("slope", [10, 30])
@pytest.mark.parametrize("layers", [1, 4])
def test_tops_on_a_slope_are_never_thinner_than_set(sliced, slope, layers):
    """Above the topmost infill of every place lie so many full layers: within the part, and no infill."""
    rise = 40 * np.tan(np.radians(slope))
    side = extruded(shapely.Polygon([(0, 0), (40, 0), (40, 3 + rise), (0, 3)]), 20)
    done = sliced(side[:, :, [0, 2, 1]], {**BARE, "top.layers": layers, "infill.density": 20})
    solid = done.sliced.solids[0]
    room = lambda k: solid.covers.room[solid.covers.which[k]]  # noqa: E731
    outline = lambda k: solid.outlines.outline[solid.outlines.which[k]]  # noqa: E731
    count = len(solid.covers.which)
    seen = 0
    for k in range(count):
        last = room(k).difference(room(k + 1)) if k + 1 < count else room(k)
        if last.area < 1e-3:
            continue
        seen += 1
        for above in range(1, layers + 1):
            assert k + above < count
            assert last.difference(outline(k + above)).area < 1e-3
            assert last.intersection(room(k + above)).area < 1e-3
    assert seen > 10


def test_the_catalogue_knows_which_patterns_are_made_of_lines():
    assert set(OF_LINES) == set(FAMILIES)
