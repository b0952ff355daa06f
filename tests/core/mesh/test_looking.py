"""What a view needs of a mesh: the first facet on a ray, fewer facets, extremes, edges."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from even_step.core.mesh import ray
from even_step.core.mesh.coarse import coarse, extremes
from even_step.core.mesh.edges import drawn_edges
from even_step.core.mesh.measure import measure
from even_step.core.mesh.ray import first_hit
from even_step.core.mesh.turning import down_onto, turn_matrix
from tests.conftest import mended
from tests.shapes import ball, box


def test_a_ray_from_above_meets_the_top_of_a_box():
    mesh = mended(box(20, 10, 5))
    far, facet = first_hit(mesh, np.array([1.0, 2.0, 50.0]), np.array([0.0, 0.0, -1.0]))
    assert far == pytest.approx(45.0)
    assert (mesh.vertices[mesh.faces[facet], 2] == 5.0).all()


def test_a_ray_beside_or_away_meets_nothing():
    mesh = mended(box(20, 10, 5))
    assert first_hit(mesh, np.array([11.0, 0.0, 50.0]), np.array([0.0, 0.0, -1.0])) is None
    assert first_hit(mesh, np.array([0.0, 0.0, 50.0]), np.array([0.0, 0.0, 1.0])) is None


@settings(deadline=None)  # the first call may compile
@given(st.floats(-1, 1), st.floats(-1, 1), st.floats(-1, 1))
@example(1.0, -1.947912288786292e-169, 0.28125)
@example(1.0, -1.947912288786292e-169, 0.25)
def test_every_ray_through_the_middle_of_a_ball_meets_it_at_its_radius(x, y, z):
    way = np.array([x, y, z])
    if np.linalg.norm(way) < 0.1:
        return
    way /= np.linalg.norm(way)
    hit = first_hit(BALL, -50 * way, way)
    assert hit is not None
    assert hit[0] == pytest.approx(50 - 15, abs=0.12)


BALL = mended(ball(15.0, 3))


def test_the_kernel_says_the_same_uncompiled():
    origin, way = np.array([3.0, 4.0, 60.0]), np.array([0.0, 0.1, -1.0])
    small = mended(ball(15.0, 1))
    assert ray._first_hit.py_func(small.vertices, small.faces, origin, way) == ray._first_hit(
        small.vertices, small.faces, origin, way
    )


def test_a_coarser_mesh_has_fewer_facets_and_nearly_the_same_shape():
    mesh = mended(ball(15.0, 5))
    few = coarse(mesh, 2000)
    assert 300 < len(few.faces) <= 2000
    assert measure(few).volume == pytest.approx(measure(mesh).volume, rel=0.05)
    assert coarse(few, 2000) is few


def test_extremes_give_the_bounds_of_every_pose():
    mesh = mended(np.concatenate((box(20, 10, 5), box(4, 4, 9))))
    corners = extremes(mesh)
    for turn in ((0, 0, 0), (30, 40, 50), (90, 0, 17)):
        turned, all_turned = corners @ turn_matrix(turn).T, mesh.vertices @ turn_matrix(turn).T
        assert turned.min(axis=0) == pytest.approx(all_turned.min(axis=0), abs=1e-12)
        assert turned.max(axis=0) == pytest.approx(all_turned.max(axis=0), abs=1e-12)


@pytest.mark.parametrize("stretch", [(1.0, 1.0, 1.0), (1.0, 0.7, 0.2)])
def test_a_large_round_mesh_has_its_extremes_without_a_search_for_its_hull(stretch):
    mesh = mended(np.concatenate((ball(20, 6) * stretch, box(30, 6, 3))))
    corners = extremes(mesh)
    assert len(corners) < len(mesh.vertices)
    for turn in ((0, 0, 0), (30, 40, 50), (90, 0, 17)):
        turned, all_turned = corners @ turn_matrix(turn).T, mesh.vertices @ turn_matrix(turn).T
        assert turned.min(axis=0) == pytest.approx(all_turned.min(axis=0), abs=1e-12)
        assert turned.max(axis=0) == pytest.approx(all_turned.max(axis=0), abs=1e-12)


def test_a_flat_mesh_has_extremes_too():
    mesh = mended(box(20, 10, 5)[:2])
    assert len(extremes(mesh)) == len(np.unique(mesh.faces))


def test_a_box_has_twelve_drawn_edges_and_its_diagonals_are_none():
    rows = drawn_edges(mended(box(20, 10, 5)))
    assert len(rows) == 24
    lengths = np.linalg.norm(rows[::2, :3] - rows[1::2, :3], axis=1)
    assert sorted(lengths) == pytest.approx(sorted([20] * 4 + [10] * 4 + [5] * 4))


def test_an_open_edge_is_always_an_outline():
    rows = drawn_edges(mended(box(20, 10, 5)[:1]))
    assert len(rows) == 6
    assert rows[:, 3:6] == pytest.approx(-rows[:, 6:9])


@pytest.mark.parametrize("normal", [(0, 0, 1), (0, 0, -1), (1, 0, 0), (1, 2, -3), (-0.2, 0.1, 5)])
def test_a_face_turned_down_points_down(normal):
    unit = np.array(normal) / np.linalg.norm(normal)
    matrix = down_onto(np.array(normal, float))
    assert matrix @ unit == pytest.approx((0, 0, -1), abs=1e-12)
    assert np.linalg.det(matrix) == pytest.approx(1.0)
