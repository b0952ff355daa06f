"""The face a facet belongs to."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from even_step.core.mesh.faces import flat_face, neighbours
from even_step.core.mesh.mesh import Mesh
from tests.conftest import mended
from tests.shapes import ball, box


def facet_looking(mesh, way):
    corners = mesh.vertices[mesh.faces]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return int(np.argmax(normals @ np.array(way, float) / np.linalg.norm(normals, axis=1)))


def test_each_facet_of_a_closed_mesh_has_three_neighbours_that_know_it():
    mesh = mended(ball(10.0, subdivisions=3))
    beyond = neighbours(mesh)
    assert (beyond >= 0).all()
    for facet, others in enumerate(beyond):
        assert all(facet in beyond[other] for other in others)


def test_an_open_edge_has_nothing_beyond():
    mesh = mended(box(10, 10, 10))
    less = Mesh(mesh.vertices, mesh.faces[1:])
    assert (neighbours(less) < 0).sum() == 3


@pytest.mark.parametrize("way", [(1, 0, 0), (0, -1, 0), (0, 0, 1)])
def test_a_side_of_a_box_is_its_two_facets(way):
    mesh = mended(box(20, 10, 5))
    facets, normal = flat_face(mesh, neighbours(mesh), facet_looking(mesh, way))
    assert len(facets) == 2
    assert normal == pytest.approx(way)


def bulged(rise=0.05, cells=20, side=40.0):
    """A plate whose top is a shallow dome; the rim of the top is lower by the rise."""
    x = np.linspace(-side / 2, side / 2, cells + 1)
    xx, yy = np.meshgrid(x, x, indexing="ij")
    zz = 5 + rise * (1 - (xx**2 + yy**2) / (side**2 / 2))
    top = np.stack((xx, yy, zz), axis=2)
    facets = []
    for i in range(cells):
        for j in range(cells):
            a, b, c, d = top[i, j], top[i + 1, j], top[i + 1, j + 1], top[i, j + 1]
            facets += [(a, b, c), (a, c, d)]
    return mended(np.array(facets))


def test_a_slightly_bent_face_is_taken_whole_and_lies_on_its_mean():
    mesh = bulged()
    off_centre = facet_looking(mesh, (math.sin(math.radians(0.2)), 0.0, 1.0))
    facets, normal = flat_face(mesh, neighbours(mesh), off_centre)
    assert len(facets) == len(mesh.faces)
    assert normal[2] > math.cos(math.radians(0.3))


def test_a_flat_face_with_a_fine_rounding_round_it_lies_by_its_flat_part():
    # One edge of the top is rounded in steps of 1°: some of them lean little enough to belong to the face.
    turns = np.radians(np.arange(0, 91))
    profile = [(-20.0, 5.0), *((10 + 3 * math.sin(t), 2 + 3 * math.cos(t)) for t in turns)]
    facets = []
    for (x0, z0), (x1, z1) in itertools.pairwise(profile):
        a, b, c, d = (x0, 0.0, z0), (x1, 0.0, z1), (x1, 10.0, z1), (x0, 10.0, z0)
        facets += [(a, b, c), (a, c, d)]
    mesh = mended(np.array(facets))
    found, normal = flat_face(mesh, neighbours(mesh), facet_looking(mesh, (0, 0, 1)))
    assert len(found) > 2
    assert abs(normal) == pytest.approx([0, 0, 1], abs=1e-9)
