"""How far it is from places to facets, against what is known in closed form."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.mesh.away import away_from

SQUARE = np.array([[[0, 0, 0], [4, 0, 0], [4, 4, 0]], [[0, 0, 0], [4, 4, 0], [0, 4, 0]]], float)


def beyond(nodes, low, high):
    """How far the nodes lie outside of a span."""
    return np.maximum(np.maximum(low - nodes, nodes - high), 0.0)


@pytest.mark.parametrize("z", [-2.5, 0.0, 1.0])
def test_a_square_is_as_far_as_its_plane_its_edge_or_its_corner(z):
    """From over it, from beside it, and from past a corner."""
    found = away_from(SQUARE, z, np.array([-3.0, -2.0]), 0.5, (17, 21), 20.0)
    y, x = np.meshgrid(-2.0 + 0.5 * np.arange(17), -3.0 + 0.5 * np.arange(21), indexing="ij")
    expected = np.sqrt(beyond(x, 0, 4) ** 2 + beyond(y, 0, 4) ** 2 + z**2)
    np.testing.assert_allclose(found, expected, atol=1e-12)


def test_no_distance_is_more_than_was_asked_for():
    found = away_from(SQUARE, 1.0, np.array([-3.0, -2.0]), 0.5, (17, 21), 1.5)
    full = away_from(SQUARE, 1.0, np.array([-3.0, -2.0]), 0.5, (17, 21), 20.0)
    np.testing.assert_allclose(found, np.minimum(full, 1.5), atol=1e-12)
    assert (away_from(SQUARE, 2.0, np.array([-3.0, -2.0]), 0.5, (17, 21), 1.5) == 1.5).all()


@pytest.mark.parametrize("share", [0.0, 0.3, 1.0])
def test_a_facet_that_is_a_line_or_a_point_is_as_far_as_that(share):
    """Its plane is not known, though rounding gives it one."""
    a, b = np.array([0.1, 0.2, 0.3]), np.array([2.9, 1.7, 1.1])
    facet = np.array([[a, b, a + share * (b - a)]])
    point = np.array([[a, a, a]])
    nodes = np.stack(np.meshgrid(-3 + 0.5 * np.arange(17), -3 + 0.5 * np.arange(17), [0.7]), axis=-1)[:, :, 0]
    along = np.clip((nodes - a) @ (b - a) / ((b - a) @ (b - a)), 0, 1)[:, :, None]
    for some, near in ((facet, a + along * (b - a)), (point, a)):
        found = away_from(some, 0.7, np.array([-3.0, -3.0]), 0.5, (17, 17), 20.0)
        np.testing.assert_allclose(found, np.linalg.norm(nodes - near, axis=-1), atol=1e-9)
