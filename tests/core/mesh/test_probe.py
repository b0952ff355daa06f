"""Distances, angles and thickness on a part as it stands."""

from __future__ import annotations

import math

import numpy as np
import pytest

from even_step.core.mesh.probe import normal_on_bed, reading, thickness
from even_step.core.mesh.turning import turn_matrix
from tests.conftest import mended
from tests.shapes import box

UP, EAST = np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0])


def test_a_reading_tells_distance_parts_and_angle():
    found = reading(np.array([1.0, 2.0, 3.0]), UP, np.array([4.0, 6.0, 3.0]), EAST)
    assert found.distance == 5.0
    assert found.along == (3.0, 4.0, 0.0)
    assert found.angle == pytest.approx(90.0)
    assert reading(UP, UP, EAST, UP).angle == pytest.approx(180.0)
    assert reading(UP, UP, EAST, -UP).angle == pytest.approx(0.0)


@pytest.mark.parametrize("stretch", [(1, 1, 1), (2, 3, 4), (-1, 1, 1), (-2, 1, 0.5)])
@pytest.mark.parametrize("turn", [(0, 0, 0), (30, 40, 50)])
def test_thickness_is_that_of_the_part_as_it_stands(stretch, turn):
    mesh = mended(box(20, 10, 5))
    matrix = turn_matrix(turn) @ np.diag(np.array(stretch, float))
    assert thickness(mesh, np.array([1.0, 1.0, 5.0]), UP, matrix) == pytest.approx(5 * abs(stretch[2]))
    assert thickness(mesh, np.array([10.0, 1.0, 2.0]), EAST, matrix) == pytest.approx(20 * abs(stretch[0]))


def test_a_stretched_slope_keeps_its_true_normal():
    normal = normal_on_bed(np.array([1.0, 0.0, 1.0]), np.diag([2.0, 1.0, 1.0]))
    assert math.degrees(math.atan2(normal[2], normal[0])) == pytest.approx(math.degrees(math.atan2(2, 1)))
    assert np.linalg.norm(normal) == pytest.approx(1.0)


def test_behind_a_sheet_there_is_nothing():
    sheet = mended(box(20, 10, 5))
    only_top = type(sheet)(sheet.vertices, sheet.faces[(sheet.vertices[sheet.faces][:, :, 2] > 4.9).all(axis=1)])
    assert thickness(only_top, np.array([1.0, 1.0, 5.0]), UP, np.eye(3)) == 0.0
