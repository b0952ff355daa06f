"""How thick a region is along its outline, against closed forms and a search that knows nothing of it."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from even_step.core.plane import region
from even_step.core.plane.balls import CONVEX, ball
from even_step.core.plane.segments import grid_of
from even_step.core.plane.thickness import net_of, thickness

MOST = 4.0


def measured(plan, spacing=0.25, most=MOST):
    rings = region.rings(np.array([region.multi(plan)], object))
    net = net_of(rings.xy, rings.start)
    at, kind, _, _, room, thick, sure, mate, centre = thickness(net, rings.start, spacing, most)
    return at, kind, room, thick, sure, mate, centre


@pytest.mark.parametrize("wide", [0.3, 0.72, 1.5, 3.9])
def test_a_bar_is_as_thick_as_it_is_wide_up_to_its_corners(wide):
    *_, thick, _, _, _ = measured(shapely.box(0, 0, 20, wide))
    assert thick == pytest.approx(np.full(len(thick), wide), abs=1e-6)


def test_a_ring_is_as_thick_as_its_circles_lie_apart():
    ring = shapely.Point(0, 0).buffer(6, quad_segs=64).difference(shapely.Point(0, 0).buffer(5, quad_segs=64))
    _, _, _, thick, _, _, centre = measured(ring)
    assert thick == pytest.approx(np.full(len(thick), 1.0), abs=0.01)
    assert np.hypot(*centre.T) == pytest.approx(np.full(len(thick), 5.5), abs=0.01)


@pytest.mark.parametrize("x", [-1e6, -30.0, 30.0, 1e6])
@pytest.mark.parametrize("y", [-30.0, 0.5, 30.0])
def test_a_circle_far_beside_all_edges_touches_none(x, y):
    rings = region.rings(np.array([region.multi(shapely.box(0, 0, 3, 1))], object))
    _, _, side, grid = net_of(rings.xy, rings.start)
    radius, found, _ = ball(side, grid, x, y, 1.0, 0.0, -1, -1, -1, 0.5)
    assert (radius, found) == (0.5, -1)


def test_what_is_wider_than_is_asked_for_is_known_to_be():
    *_, thick, _, mate, _ = measured(shapely.box(0, 0, 20, 20))
    assert (thick >= MOST).all()
    assert (mate == -1).all()


@pytest.mark.parametrize("angle", range(5, 95, 5))
def test_a_wedge_grows_thicker_from_its_tip_and_a_blunt_corner_is_none(angle):
    half = np.radians(angle / 2)
    wedge = shapely.Polygon([(0, 0), (30 * np.cos(half), -30 * np.sin(half)), (30 * np.cos(half), 30 * np.sin(half))])
    at, kind, _, thick, _, _, _ = measured(wedge)
    along = np.hypot(at[:, 0], at[:, 1])
    near = (kind != CONVEX) & (along < 15)
    if angle <= 45:
        form = np.minimum(2 * along[near] * np.tan(half), MOST)
        assert thick[near] == pytest.approx(form, abs=1e-6)
    else:
        assert (thick[near] >= MOST).all()


def test_circles_are_as_large_as_a_search_finds_them():
    rng = np.random.default_rng(7)
    checked = 0
    for _ in range(12):
        angles = np.sort(rng.uniform(0, 2 * np.pi, 14))
        far = rng.uniform(1.5, 6.0, 14)
        plan = shapely.Polygon(np.stack((far * np.cos(angles), far * np.sin(angles)), axis=1))
        if not plan.is_valid or plan.area < 5:
            continue
        at, kind, room, _, _, _, _ = measured(plan)
        edge = plan.boundary
        for i in np.flatnonzero(kind == 0)[::7]:
            low, high = 0.0, MOST / 2
            for _ in range(30):
                middle = (low + high) / 2
                free = edge.distance(shapely.Point(at[i, :2] + middle * at[i, 2:])) >= middle - 1e-9
                low, high = (middle, high) if free else (low, middle)
            assert room[i] == pytest.approx(low, abs=2e-3)
            checked += 1
    assert checked > 50


def test_points_across_see_each_other():
    *_, sure, mate, centre = measured(shapely.box(0, 0, 12, 0.9).union(shapely.box(4, 0, 4.8, 9)))
    facing = np.flatnonzero(mate >= 0)
    assert len(facing) > 0.5 * len(mate)
    back = mate[facing]
    there = np.flatnonzero(mate[back] >= 0)
    gap = np.hypot(*(centre[facing[there]] - centre[back[there]]).T)
    assert np.median(gap) < 0.15
    assert sure[facing].all()


@pytest.mark.parametrize("cell", [0.3, 1.0, 4.0])
def test_every_point_of_an_edge_lies_in_a_cell_that_knows_it(cell):
    """Also of upright and level edges, of such as have no length, and where they cross the borders of cells."""
    rng = np.random.default_rng(5)
    loose = rng.uniform(0, 12, (200, 4))
    upright = np.stack([loose[:20, 0], loose[:20, 1], loose[:20, 0], loose[:20, 3]], axis=1)
    level = upright[:, [1, 0, 3, 2]]
    whole = np.round(loose[:40])
    edges = np.concatenate([loose, upright, level, whole, np.repeat(whole[:5, :2], 2, axis=0).reshape(5, 4)])
    frame, first, item = grid_of(edges, cell)
    for share in np.linspace(0.0, 1.0, 101):
        xy = edges[:, :2] + (edges[:, 2:] - edges[:, :2]) * share
        at = np.floor((xy - frame[:2]) / frame[2]).astype(int)
        number = at[:, 1] * int(frame[3]) + at[:, 0]
        inside = np.abs((xy - frame[:2]) / frame[2] - np.rint((xy - frame[:2]) / frame[2])).min(axis=1) > 1e-6
        for e in np.flatnonzero(inside):
            assert e in item[first[number[e]] : first[number[e] + 1]]
    boxes = np.prod(
        1 + np.abs(np.diff(np.floor((edges - frame[[0, 1, 0, 1]]) / frame[2]).reshape(-1, 2, 2), axis=1)), axis=2
    )
    share = {0.3: 0.7, 1.0: 0.7, 4.0: 1.0}[cell]
    assert first[-1] <= share * boxes.sum(), "long edges are not in all cells of their boxes"
