"""Walls, covers, infill, order and skirt, seen in the finished toolpath."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import shapely

from even_step.core.plane.bead import plastic_width
from even_step.core.slicing.assembly import visiting_order
from even_step.core.toolpath.roles import BOTTOM, INFILL, INNER_WALL, OUTER_WALL, SKIRT, SOLID, TOP
from tests.raster import layer_lines
from tests.shapes import NASTY, ball, box, comb, holed_block
from tests.slicing_help import slice_it

BARE = {"skirt.loops": 0}


def roles_of(done, layer):
    path = done.sliced.toolpath
    return path.role[path.layer[layer] : path.layer[layer + 1]]


@pytest.mark.parametrize("count", [0, 1, 2, 5])
def test_there_are_as_many_walls_as_asked_for(sliced, count):
    done = sliced(box(20, 20, 4), {**BARE, "walls.count": count})
    roles = roles_of(done, 10)
    assert (roles == OUTER_WALL).sum() == min(count, 1)
    assert (roles == INNER_WALL).sum() == max(count - 1, 0)


def test_walls_lie_a_plastic_width_apart(sliced):
    done = sliced(box(20, 20, 4), {**BARE, "walls.outer_line_width": 0.4, "walls.line_width": 0.5})
    lines, _ = layer_lines(done.sliced.toolpath, 10, {OUTER_WALL, INNER_WALL})
    depth = sorted(10 - np.abs(line - (110, 110)).max() for line in lines)
    outer, inner = float(plastic_width(0.4, 0.2)), float(plastic_width(0.5, 0.2))
    assert depth == pytest.approx([0.2, 0.2 + (outer + inner) / 2, 0.2 + (outer + inner) / 2 + inner], abs=0.0015)


@pytest.mark.parametrize(("order", "first"), [("inner-first", INNER_WALL), ("outer-first", OUTER_WALL)])
def test_walls_come_in_the_order_asked_for(sliced, order, first):
    done = sliced(box(20, 20, 4), {**BARE, "walls.order": order})
    roles = roles_of(done, 10)
    assert roles[0] == first
    assert roles[2] == (OUTER_WALL if first == INNER_WALL else INNER_WALL)


def test_the_seam_lies_at_the_back(sliced):
    done = sliced(ball(10, 4), {**BARE, "walls.seam": "back"})
    for layer in (20, 50, 80):
        lines, _ = layer_lines(done.sliced.toolpath, layer, {OUTER_WALL})
        assert lines[0][0, 1] == pytest.approx(lines[0][:, 1].max(), abs=0.01)


def test_the_seam_lies_in_a_corner(sliced):
    done = sliced(comb(), {**BARE, "walls.seam": "corner"})
    lines, _ = layer_lines(done.sliced.toolpath, 10, {OUTER_WALL})
    before, after = lines[0][-2] - lines[0][0], lines[0][1] - lines[0][0]
    assert abs(before @ after) < 0.05 * np.hypot(*before) * np.hypot(*after)


def test_scattered_seams_scatter_and_repeat(sliced):
    settings = {**BARE, "walls.seam": "scattered"}
    done = sliced(ball(10, 4), settings)
    starts = np.array([layer_lines(done.sliced.toolpath, k, {OUTER_WALL})[0][0][0] for k in range(30, 70)])
    turns = np.arctan2(*(starts - (110, 110)).T)
    assert np.ptp(turns) > 4
    assert len(np.unique(np.round(turns, 3))) > 20


def test_the_nearest_seam_saves_travel(sliced):
    near, back = (
        sliced(comb(), {**BARE, "walls.seam": seam}).report["time_by_role_s"]["travel"] for seam in ("nearest", "back")
    )
    assert near <= back + 1


def test_tops_and_bottoms_are_where_they_should_be(sliced):
    done = sliced(box(20, 20, 4), {**BARE, "top.layers": 2, "bottom.layers": 3})
    kinds = [set(roles_of(done, k)) & {TOP, BOTTOM, SOLID, INFILL} for k in range(20)]
    assert kinds[0] == {BOTTOM}
    assert kinds[1] == kinds[2] == {SOLID}
    assert all(kind == {INFILL} for kind in kinds[3:18])
    assert kinds[18] == {SOLID}
    assert kinds[19] == {TOP}


def test_a_step_is_covered_where_it_shows(sliced):
    facets = np.concatenate((box(30, 30, 4), box(10, 10, 8)))
    done = sliced(facets, {**BARE, "top.layers": 2})
    lines, _ = layer_lines(done.sliced.toolpath, 19, {TOP})
    covered = shapely.union_all([shapely.LineString(line).buffer(0.25) for line in lines])
    reach = shapely.bounds(covered)
    assert covered.area == pytest.approx(27.5**2 - 10**2, rel=0.05)
    assert reach[2] - reach[0] == pytest.approx(27.6, abs=0.6)


def test_full_layers_cross_from_layer_to_layer(sliced):
    done = sliced(box(20, 20, 4), {**BARE, "top.angle": 30})
    turns = []
    for layer in (0, 1, 2):
        lines, _ = layer_lines(done.sliced.toolpath, layer, {BOTTOM, SOLID})
        step = np.diff(np.concatenate(lines), axis=0)
        longest = step[np.argmax(np.hypot(*step.T))]
        turns.append(np.degrees(np.arctan2(longest[1], longest[0])) % 180)
    assert turns == pytest.approx([30, 120, 30], abs=0.1)


def test_no_infill_lays_none(sliced):
    done = sliced(box(20, 20, 4), {**BARE, "infill.density": 0})
    assert "infill" not in done.report["volume_by_role_mm3"]


def test_infill_reaches_into_the_wall_as_far_as_asked(sliced):
    lengths = []
    for overlap in (0, 40):
        done = sliced(box(30, 30, 4), {**BARE, "infill.overlap": overlap, "infill.end_run": 0})
        lines, _ = layer_lines(done.sliced.toolpath, 10, {INFILL})
        lengths.append((sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in lines), len(lines)))
    assert lengths[1][0] - lengths[0][0] == pytest.approx(2 * 0.4 * 0.45 * lengths[0][1], rel=0.05)


def test_slivers_of_infill_are_laid_solid(sliced):
    done = sliced(box(20, 4.4, 4), {**BARE, "top.least_area": 50})
    assert "infill" not in done.report["volume_by_role_mm3"]
    assert "infill" in sliced(box(20, 4.4, 4), {**BARE, "top.least_area": 0}).report["volume_by_role_mm3"]


def test_the_skirt_keeps_its_distance_and_its_length(sliced):
    settings = {"skirt.distance": 5, "skirt.loops": 2, "skirt.least_length": 0}
    done = sliced(holed_block(), settings)
    lines, widths = layer_lines(done.sliced.toolpath, 0, {SKIRT})
    part = shapely.box(100, 100, 120, 120)
    near = sorted(shapely.LineString(line).distance(part) - widths[0] / 2 for line in lines)
    assert len(lines) == 2
    assert near[0] == pytest.approx(5, abs=0.01)
    assert near[1] == pytest.approx(5 + float(plastic_width(0.45, 0.2)), abs=0.01)
    longer = sliced(holed_block(), {**settings, "skirt.least_length": 600})
    lines, _ = layer_lines(longer.sliced.toolpath, 0, {SKIRT})
    assert sum(np.hypot(*np.diff(line, axis=0).T).sum() for line in lines) >= 600
    assert roles_of(longer, 0)[0] == SKIRT


def test_allowances_move_outside_and_holes_apart(sliced):
    def rings(settings):
        done = sliced(holed_block(), {**BARE, **settings})
        lines, _ = layer_lines(done.sliced.toolpath, 10, {OUTER_WALL})
        first, _ = layer_lines(done.sliced.toolpath, 0, {OUTER_WALL})
        size = lambda some: sorted(np.ptp(line[:, 0]) for line in some)  # noqa: E731
        return size(lines), size(first)

    (hole, side), (first_hole, first_side) = rings({})
    assert rings({"outline.allowance": 0.2})[0] == pytest.approx([hole, side + 0.4], abs=0.01)
    assert rings({"outline.hole_allowance": 0.2})[0] == pytest.approx([hole + 0.4, side], abs=0.01)
    both = rings({"outline.first_allowance": -0.3})
    assert both[0] == pytest.approx([hole, side])
    assert both[1] == pytest.approx([first_hole + 0.6, first_side - 0.6], abs=0.01)


def test_travel_draws_filament_back_only_when_long(sliced):
    always, never = (sliced(comb(), {**BARE, "travel.retract_from": far}).sliced.toolpath for far in (0, 100))
    assert always.retract.sum() > never.retract.sum()
    assert never.retract.sum() == 1
    for path in (always, never):
        assert path.retract[0]


def test_parts_are_visited_along_a_short_way():
    places = np.random.default_rng(3).random((12, 2)) * 200
    order = visiting_order(places)
    assert sorted(order) == list(range(12))
    way = lambda o: np.hypot(*np.diff(places[o], axis=0).T).sum()  # noqa: E731
    for i, j in itertools.combinations(range(1, 12), 2):
        other = np.concatenate((order[:i], order[i : j + 1][::-1], order[j + 1 :]))
        assert way(order) <= way(other) + 1e-6


def test_copies_are_the_same_but_for_their_place(sliced):
    done = sliced(ball(8, 3), {**BARE, "infill.density": 0}, copies=3)
    path = done.sliced.toolpath
    shapes = []
    for part in range(3):
        mine = [p for p in range(path.layer[20], path.layer[21]) if path.part[p] == part]
        shapes.append(
            np.concatenate([path.xy[path.start[p] : path.start[p + 1]] for p in mine]) - done.sliced.placed[part].at
        )
    for other in shapes[1:]:
        assert np.abs(other - shapes[0]).max() < 1e-6
    assert len(done.sliced.solids) == 1


@pytest.mark.parametrize("name", NASTY)
def test_nasty_meshes_slice_to_the_end(tmp_path, name):
    done = slice_it(tmp_path, NASTY[name])
    assert np.isfinite(done.sliced.toolpath.xy).all()
    assert done.report["time_s"] >= 0
    assert all(np.isfinite(value) for value in done.report["volume_by_role_mm3"].values())
