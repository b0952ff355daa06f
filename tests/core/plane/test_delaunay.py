"""Triangles made finer and turned until they are Delaunay, and the middle lines that follow from them."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import Delaunay

from even_step.core.plane import cut, region
from even_step.core.plane.axis import axes
from even_step.core.plane.delaunay import refined


def one(shape):
    return np.array([shapely.MultiPolygon([shape])], object)


def fine(shape, spacing=0.25):
    parts, _ = region.pieces(region.offset(one(shape), 0.0))
    return refined(*cut.triangles(parts), spacing)


def area_of(corners):
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2


@settings(deadline=None, derandomize=True)  # the first one loads the kernel
@given(st.integers(3, 12), st.floats(0.5, 4), st.floats(0, 90))
def test_a_convex_outline_has_the_triangles_of_its_points(sides, radius, turn):
    turns = np.radians(turn) + 2 * np.pi * np.arange(sides) / sides
    shape = shapely.Polygon(np.round(radius * np.stack((np.cos(turns), 0.7 * np.sin(turns)), axis=1), 3))
    corners, _ = fine(shape)
    assert area_of(corners) == pytest.approx(shape.area, abs=5e-3)
    points = np.unique(corners.reshape(-1, 2), axis=0)
    # Whatever lies on one circle may be cut either way, so lengths are compared: Delaunay is as good everywhere.
    ideal = points[Delaunay(points).simplices]
    smallest = [np.sort(angles_of(some), axis=None)[0] for some in (corners, ideal[areas_of(ideal) > 1e-3])]
    assert smallest[0] >= smallest[1] - 0.02


def areas_of(corners):
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2


def angles_of(corners):
    sides = np.roll(corners, -1, axis=1) - corners
    back = -np.roll(sides, 1, axis=1)
    cross = sides[..., 0] * back[..., 1] - sides[..., 1] * back[..., 0]
    return np.abs(np.arctan2(cross, (sides * back).sum(axis=2)))


@pytest.mark.parametrize("turn", [0, 17, 45])
@pytest.mark.parametrize("thick", [0.25, 0.4, 0.675, 1.0])
def test_a_thin_frame_has_one_middle_line_half_its_thickness_from_both_walls(thick, turn):
    outer = shapely.box(0, 0, 73.55, 51.55)
    frame = outer.difference(outer.buffer(-thick, join_style="mitre"))
    shape = region.offset(one(shapely.affinity.rotate(frame, turn, origin=(0, 0))), 0.0)
    found = axes(shape, region.rings(shape), 1.2, 0.25)
    away = np.abs(found.radius - thick / 2)
    assert np.sort(away)[-25:].max() < 0.1 * thick + 0.01  # at its four corners
    assert np.sort(away)[:-25].max() < 0.005
    long = sum(shapely.LineString(found.xy[a:b]).length for a, b in zip(found.start, found.start[1:], strict=False))
    assert long == pytest.approx(2 * (73.55 + 51.55) - 4 * thick, rel=0.01)


def test_parts_that_touch_in_a_point_keep_to_themselves():
    two = np.array([shapely.box(0, 0, 2, 1), shapely.box(2, 1, 4, 2)], object)
    corners, owner = refined(*cut.triangles(two), 0.25)
    assert [area_of(corners[owner == k]) for k in range(2)] == pytest.approx([2, 2])
    assert (np.diff(owner) >= 0).all()


def test_nothing_has_no_triangles():
    corners, owner = refined(np.empty((0, 3, 2)), np.empty(0, np.int64), 0.25)
    assert len(corners) == len(owner) == 0
