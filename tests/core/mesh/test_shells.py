from __future__ import annotations

import math

import numpy as np
import pytest

from even_step.core.mesh.measure import measure, overhang
from even_step.core.mesh.pose import flat_sides, set_down
from even_step.core.mesh.shells import mend
from even_step.core.mesh.turning import turn_matrix, turn_of
from even_step.core.mesh.weld import HALVED_FROM, BadCorner, weld
from even_step.core.work import ALONE
from tests.conftest import mended
from tests.shapes import ball, box, comb, flipped, hollow_box, inside_out, without
from tests.slicing_help import slice_it


def mend_facets(facets):
    return mend(weld(np.ascontiguousarray(facets, np.float32)).mesh)


def test_a_sound_mesh_is_left_as_it_is():
    before = weld(np.ascontiguousarray(ball(10, 3), np.float32)).mesh
    done = mend(before)
    assert done.mesh.faces is before.faces
    assert done.closed
    assert done.shells == 1


def test_loose_facets_have_as_many_vertices_as_corners(hands):
    for count in (1, 2048, HALVED_FROM):
        corners = np.random.default_rng(count).uniform(-50, 50, (count, 3, 3)).astype(np.float32)
        done = weld(corners, hands)
        assert len(done.mesh.vertices) == 3 * count
        np.testing.assert_array_equal(done.mesh.vertices[done.mesh.faces], corners)


def test_large_meshes_are_numbered_in_order_of_appearance(hands):
    corners = np.random.default_rng(7).integers(-20, 20, (HALVED_FROM + 1, 3, 3)).astype(np.float32)
    flat, first, place = np.unique(corners.reshape(-1, 3), axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    faces = np.argsort(order)[place.ravel()].reshape(-1, 3)
    sound = (faces[:, [0, 1, 2]] != faces[:, [1, 2, 0]]).all(axis=1)
    for who in (ALONE, hands):
        done = weld(corners, who)
        np.testing.assert_array_equal(done.mesh.vertices, flat[order])
        np.testing.assert_array_equal(done.mesh.faces, faces[sound])
        assert done.degenerate == (~sound).sum() > 0
    corners[-3, 1, 2] = np.nan
    assert weld(corners, hands) == BadCorner(len(corners) - 3)


def test_a_lone_inverted_shell_is_turned():
    done = mend_facets(inside_out(box()))
    assert measure(done.mesh).volume == pytest.approx(8000)
    assert done.turned_shells == 1


def test_a_cavity_keeps_its_sense():
    done = mend_facets(hollow_box(20, 10))
    assert measure(done.mesh).volume == pytest.approx(8000 - 1000)
    assert done.turned_shells == 0
    assert done.shells == 2


def test_a_file_that_is_inside_out_as_a_whole_keeps_its_cavity():
    done = mend_facets(inside_out(hollow_box(20, 10)))
    assert measure(done.mesh).volume == pytest.approx(8000 - 1000)
    assert done.turned_shells == 2


def test_an_enclosed_shell_of_the_same_sense_is_no_cavity():
    done = mend_facets(np.concatenate((box(20, 20, 20), box(10, 10, 10, (0, 0, 5)))))
    assert measure(done.mesh).volume == pytest.approx(9000)


def test_an_inverted_shell_beside_another_is_turned_alone():
    done = mend_facets(np.concatenate((box(), inside_out(box(at=(40, 0, 0))))))
    assert measure(done.mesh).volume == pytest.approx(16000)
    assert done.turned_shells == 1


def test_a_ball_in_a_cavity_in_a_ball_stays_so():
    facets = np.concatenate((ball(10, 3), inside_out(ball(6, 3)), ball(3, 3)))
    for case in (facets, inside_out(facets)):
        volume = measure(mend_facets(case).mesh).volume
        assert volume == pytest.approx(4 / 3 * math.pi * (1000 - 216 + 27), rel=0.03)


def test_flipped_facets_are_turned_back():
    done = mend_facets(flipped(ball(10, 3), 0.3))
    assert measure(done.mesh).volume == pytest.approx(measure(mended(ball(10, 3))).volume, rel=1e-9)
    assert done.closed
    assert 0.2 < done.turned / 1280 < 0.4


def test_doubled_facets_are_left_out():
    facets = box()
    done = mend_facets(np.concatenate((facets, facets[:3])))
    assert done.doubled == 3
    assert done.closed


def test_loose_facets_without_area_are_left_out():
    facets = box()
    line = facets[0, 0] + np.array(
        [[[0, 0, 0], [1, 0, 0], [3, 0, 0]], [[0.1, 0.2, 0.3], [1.1, 2.2, 3.3], [2.1, 4.2, 6.3]]]
    )
    done = mend_facets(np.concatenate((facets, line.astype(facets.dtype))))
    assert done.loose == 2
    assert done.closed


def test_a_facet_without_area_between_facets_stays():
    """One side of a box parted in two, and the facet on one line that closes it against its neighbour."""
    facets = box().astype(np.float32)
    a, b, c = facets[0]
    middle = ((a + b) / 2).astype(np.float32)
    parts = np.array([[a, middle, c], [middle, b, c], [a, b, middle]], np.float32)
    done = mend_facets(np.concatenate((facets[1:], parts)))
    assert done.loose == 0
    assert done.closed


def test_open_edges_are_counted():
    done = mend_facets(box()[1:])
    assert done.open_edges == 3
    assert not done.closed


def test_a_torn_ball_keeps_facing_outward():
    volume = measure(mend_facets(without(ball(10, 3), 0.05)).mesh).volume
    assert volume > 0.7 * 4 / 3 * math.pi * 1000


def test_welding_merges_equal_corners_and_takes_minus_zero_for_zero():
    facets = box(2, 2, 2).astype(np.float32)
    facets[facets == 0] = -0.0
    result = weld(facets)
    assert len(result.mesh.vertices) == 8
    assert not np.signbit(result.mesh.vertices[result.mesh.vertices == 0]).any()


def test_welding_says_which_facet_is_bad():
    facets = box().astype(np.float32)
    facets[7, 2, 0] = np.nan
    result = weld(facets)
    assert isinstance(result, BadCorner)
    assert not result
    assert result.facet == 7


def test_turning_by_quarters_and_back_is_exact():
    matrix = turn_matrix((90, 180, 270)) @ np.eye(3)
    assert set(np.abs(matrix).ravel().tolist()) == {0.0, 1.0}
    assert np.array_equal(turn_matrix((90, 0, 0)) @ turn_matrix((-90, 0, 0)), np.eye(3))


def test_turns_follow_the_right_hand():
    assert turn_matrix((0, 0, 90)) @ (1, 0, 0) == pytest.approx((0, 1, 0))
    assert turn_matrix((90, 0, 0)) @ (0, 1, 0) == pytest.approx((0, 0, 1))
    assert turn_matrix((0, 30, 0)) @ (1, 0, 0) == pytest.approx((math.cos(math.pi / 6), 0, -0.5))


@pytest.mark.parametrize("turn", [(0, 0, 0), (30, -40, 170), (90, 0, 0), (15, 90, 0), (-70, -90, 0), (180, 0, -45)])
def test_a_rotation_gives_its_turns_back(turn):
    matrix = turn_matrix(turn)
    assert turn_matrix(turn_of(matrix)) == pytest.approx(matrix, abs=1e-7)


def test_a_part_is_set_down_on_the_bed():
    posed, shift = set_down(mended(box(20, 10, 5, (50, 60, 70))), turn_matrix((90, 0, 0)))
    assert posed.bounds.ravel() == pytest.approx([-10, -2.5, 0, 10, 2.5, 10])
    assert shift == pytest.approx([-50, 72.5, -55])


def test_the_largest_flat_side_is_found():
    matrix, area = flat_sides(mended(box(20, 10, 5)))[0]
    posed, _ = set_down(mended(box(20, 10, 5)), matrix)
    assert area == pytest.approx(200)
    assert posed.bounds[1, 2] == pytest.approx(5)


@pytest.mark.parametrize(("slope", "hangs"), [(30, False), (44, False), (46, True), (80, True)])
def test_a_slope_hangs_past_the_limit(slope, hangs):
    # A wedge whose lower face leans by the slope from the vertical.
    x = 10 * math.tan(math.radians(slope))
    facets = np.array([[(0, 0, 0), (x, 0, 10), (x, 5, 10)], [(0, 0, 0), (x, 5, 10), (0, 5, 0)]], float)
    mesh = weld(np.ascontiguousarray(facets[:, ::-1], np.float32)).mesh
    area = overhang(mesh, (45, 45, 45, 45), 0.0).sum()
    assert area == pytest.approx(5 * x if hangs else 0.0, rel=1e-5)


def test_the_limit_depends_on_the_compass():
    facets = np.array([[(0, 0, 0), (10, 0, 10), (10, 5, 10)], [(0, 0, 0), (10, 5, 10), (0, 5, 0)]], float)[:, ::-1]
    mesh = weld(np.ascontiguousarray(facets, np.float32)).mesh
    assert overhang(mesh, (50, 40, 40, 40), 0.0).sum() == 0.0  # it faces +x
    assert overhang(mesh, (40, 50, 50, 50), 0.0).sum() == pytest.approx(50)


def test_a_comb_is_one_sound_shell():
    done = mend_facets(comb())
    assert done.closed
    assert done.shells == 1


def test_a_sheet_inside_a_solid_changes_nothing_and_is_no_gap(tmp_path):
    sheet = np.array([[(-8, 1, 0), (8, 3, 0), (8, 3, 10)], [(-8, 1, 0), (8, 3, 10), (-8, 1, 10)]], float)
    plain, sheeted = (slice_it(tmp_path, one) for one in (box(20, 20, 10), np.concatenate((box(20, 20, 10), sheet))))
    assert not [one for one in sheeted.report["findings"] if one["code"] == "open-mesh"]
    assert sheeted.report["volume_by_role_mm3"] == pytest.approx(plain.report["volume_by_role_mm3"])
    assert any("open" in warning for warning in sheeted.report["parts"][0]["warnings"])


@pytest.mark.parametrize(
    "extra",
    [
        box(20, 20, 10)[:5],
        box(20, 20, 10),
        inside_out(box(6, 6, 4, (20, 0, 0))),
        np.array([[(0, 0, 0), (0, 0, 0), (1, 0, 0)]], float),
        box(1e-4, 1e-4, 1e-4, (5, 0, 0)),
    ],
    ids=["doubled facets", "doubled whole", "inside out beside", "without area", "below resolution"],
)
def test_meshes_as_they_come_slice_to_the_sound_parts_plastic(tmp_path, extra):
    settings = {"skirt.loops": 0, "infill.density": 100}
    done = slice_it(tmp_path, np.concatenate((box(20, 20, 10), extra)), settings)
    sound = 20 * 20 * 10 + (6 * 6 * 4 if len(extra) == 12 and extra[:, :, 0].min() > 15 else 0)
    assert sum(done.report["volume_by_role_mm3"].values()) == pytest.approx(sound, rel=0.03)
