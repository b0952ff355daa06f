"""How much of each cell lies within a mesh, against what solids hold."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.mesh.filled import filled
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.solids import ball, box, cylinder


@pytest.mark.parametrize(("solid", "share"), [(box, 1.0), (cylinder, np.pi / 4), (ball, np.pi / 6)])
def test_the_cells_hold_as_much_as_the_solid(solid, share):
    found = filled(solid(np.array([20.0, 30.0, 12.0])), 48)
    assert found.shape == (48, 48, 48)
    assert found.mean() / 255 == pytest.approx(share, rel=0.01)


def test_a_cell_is_cut_where_the_slope_cuts_it():
    # A wedge as high as x: at each cell along x it reaches as many cells up.
    corners = np.array([(0, 0, 0), (8, 0, 0), (8, 8, 0), (0, 8, 0), (8, 0, 8), (8, 8, 8)], np.float64)
    faces = [(0, 2, 1), (0, 3, 2), (1, 2, 5), (1, 5, 4), (0, 1, 4), (3, 5, 2), (0, 4, 5), (0, 5, 3)]
    found = filled(Mesh(corners, np.array(faces, np.int32)), 8)[:, 4, :] / 255
    np.testing.assert_allclose(found.sum(axis=0), np.arange(8) + 0.5, atol=0.03)
    assert (np.diff(found, axis=0) <= 0).all()


def test_two_bodies_with_a_gap_leave_it_empty():
    one = box(np.array([10.0, 10.0, 4.0]))
    corners = np.concatenate((one.vertices, one.vertices + (0, 0, 8)))
    both = Mesh(corners, np.concatenate((one.faces, one.faces + len(one.vertices))))
    found = filled(both, 12)
    assert (found[:4] == 255).all()
    assert (found[4:8] == 0).all()
    assert (found[8:] == 255).all()
