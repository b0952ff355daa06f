from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
import trimesh

from even_step.core.mesh.mesh import Mesh
from even_step.core.plane import region
from even_step.core.plane.cut import alike
from even_step.core.slicing.contours import ContourSettings, contours, contours_of_each
from tests.conftest import mended
from tests.shapes import NASTY, ball, box, comb, flipped, holed_block, hollow_box

EXACT = ContourSettings(closing_gap=2.0, resolution=0.001)


def cut(facets, heights, hands, settings=EXACT):
    return contours(mended(facets), np.asarray(heights, float), settings, hands)


def areas(done):
    return region.area(done.outline)[done.which]


def test_a_prism_is_cut_exactly_and_computed_once(hands):
    done = cut(comb(), np.arange(0.1, 5, 0.2), hands)
    assert len(done.outline) == 1
    assert areas(done) == pytest.approx(6 * 3.2 * 3 + 6 * 1.2 * 9, rel=1e-6)


def test_a_cone_of_circles_has_their_areas(hands):
    heights = np.array([-9.0, -3.3, 0.01, 4.4, 9.5])
    done = cut(ball(10, 6), heights, hands)
    assert areas(done) == pytest.approx(math.pi * (100 - heights**2), rel=2e-3)


def test_vertices_on_the_plane_are_no_special_case(hands):
    at_vertices = cut(box(10, 10, 10), [0.0, 5.0, 10.0], hands)
    assert areas(at_vertices).tolist() == pytest.approx([0.0, 100.0, 100.0])
    steps = np.concatenate((box(10, 10, 5), box(6, 6, 5, (0, 0, 5))))
    assert areas(cut(steps, [2.5, 7.5], hands)) == pytest.approx([100.0, 36.0])


def test_a_hole_and_a_cavity_are_cut_out(hands):
    side = 128 / 2 * 16 * math.sin(2 * math.pi / 128)
    assert areas(cut(holed_block(), [5.0], hands))[0] == pytest.approx(400 - side, rel=1e-4)
    assert areas(cut(hollow_box(20, 10), [1.0, 10.0], hands)) == pytest.approx([400, 300], rel=1e-6)


def test_an_island_in_a_hole_is_kept(hands):
    facets = np.concatenate((hollow_box(20, 10), box(4, 4, 4, (0, 0, 8))))
    assert areas(cut(facets, [10.0], hands))[0] == pytest.approx(316)


def test_overlapping_shells_are_united(hands):
    facets = np.concatenate((box(10, 10, 10), box(10, 10, 10, (5, 5, 0))))
    assert areas(cut(facets, [5.0], hands))[0] == pytest.approx(175, rel=1e-4)


def test_a_doubled_shell_is_solid_once(hands):
    assert areas(cut(np.concatenate((box(), box())), [5.0], hands))[0] == pytest.approx(400)


def test_flipped_facets_do_not_lose_the_outline(hands):
    whole, wrong = cut(ball(10, 4), [0.1], hands), cut(flipped(ball(10, 4), 0.33), [0.1], hands)
    assert areas(wrong) == pytest.approx(areas(whole), rel=1e-6)


def test_a_narrow_gap_is_closed_silently_and_a_wide_one_is_noted(hands):
    facets = box(20, 20, 20)
    slit = facets[~((facets[:, :, 0] > 9.9).all(axis=1) & (np.arange(12) % 2 == 0))]
    done = cut(slit, [10.0], hands, ContourSettings(15.0, 0.001))
    assert done.open_chains > 0
    assert len(done.gaps) == 0
    noted = cut(slit, [10.0], hands)
    assert len(noted.gaps) >= 1
    layer, width, x, _ = noted.gaps[0]
    assert layer == 0
    assert width == pytest.approx(10, abs=0.5)
    assert x == pytest.approx(10, abs=0.01)
    assert areas(done)[0] == pytest.approx(400, rel=1e-6)


def test_equal_layers_apart_are_computed_once(hands):
    done = cut(ball(10, 4), [-3.0, 3.0], hands)
    assert len(done.which) == 2
    assert len(done.outline) <= 2
    tower = np.concatenate((box(10, 10, 5), box(6, 6, 5, (0, 0, 5)), box(10, 10, 5, (0, 0, 10))))
    done = cut(tower, [2.0, 7.0, 12.0], hands)
    assert done.which.tolist() == [0, 1, 0]


@pytest.mark.parametrize(("sides", "turned"), [(4, 0.0), (6, 11.0), (61, 3.0), (200, 0.7), (378, 45.0)])
def test_the_diagonals_of_a_straight_wall_make_no_layer_differ(hands, sides, turned):
    ring = trimesh.creation.annulus(r_min=9, r_max=15, height=20, sections=sides)
    ring.apply_transform(trimesh.transformations.rotation_matrix(math.radians(turned), (0, 0, 1)))
    done = cut(np.asarray(ring.triangles), np.linspace(-9.9, 9.9, 67), hands, ContourSettings(2.0, 0.01))
    assert len(done.outline) == 1
    edge = sides / 2 * math.sin(2 * math.pi / sides)
    assert areas(done)[0] == pytest.approx(edge * (15**2 - 9**2), rel=2e-3)


def test_corners_of_a_very_fine_curve_are_kept(hands):
    ring = trimesh.creation.cylinder(radius=10, height=4, sections=50_000)
    done = cut(np.asarray(ring.triangles), [0.0], hands)
    assert areas(done)[0] == pytest.approx(math.pi * 100, rel=1e-5)


def test_simplifying_moves_the_outline_by_less_than_the_resolution(hands):
    fine, coarse = cut(ball(20, 6), [0.3], hands), cut(ball(20, 6), [0.3], hands, ContourSettings(2.0, 0.05))
    assert region.size_in_points(coarse.outline)[0] < 0.5 * region.size_in_points(fine.outline)[0]
    assert fine.outline[0].hausdorff_distance(coarse.outline[0]) < 0.06


@pytest.mark.parametrize("name", NASTY)
def test_nasty_meshes_give_valid_regions(hands, name):
    mesh = mended(NASTY[name])
    low, high = mesh.bounds[:, 2]
    done = contours(mesh, np.linspace(low, high, 23), ContourSettings(2.0, 0.0125), hands)
    assert shapely.is_valid(done.outline).all()
    assert len(done.which) == 23


def test_many_meshes_cut_in_one_go_have_the_outlines_of_each_alone(hands):
    cuts = np.linspace(-9.5, 12.0, 40)
    meshes = [mended(facets) for facets in (ball(10, 3), comb(), box(4, 5, 6), hollow_box())]
    meshes.insert(2, Mesh(np.empty((0, 3)), np.empty((0, 3), np.int32)))
    which, outline = contours_of_each(meshes, cuts, EXACT, hands)
    for mesh, own in zip(meshes, which, strict=True):
        alone = contours(mesh, cuts, EXACT, hands)
        assert alike(outline[own], alone.outline[alone.which]).all()
    none, nothing = contours_of_each([], cuts, EXACT, hands)
    assert none.shape == (0, 40)
    assert nothing[0].is_empty
