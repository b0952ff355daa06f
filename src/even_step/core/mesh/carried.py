"""A patch of a surface carried along its normal: the solid between where it begins and where it ends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.patches import rim_of_faces


def carried(corners: NDArray[np.float64], depth: float, above: float) -> Mesh:
    """Carry facets (n, 3, 3) along their mean normal: so far against it and so far along it, mm."""
    flat, index = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)
    faces = index.reshape(-1, 3).astype(np.int64)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).sum(axis=0)
    normal /= max(float(np.linalg.norm(normal)), 1e-30)
    count = len(flat)
    edges = rim_of_faces(faces)
    a, b = edges[:, 0], edges[:, 1]
    sides = [np.stack((a, a + count, b + count), axis=1), np.stack((a, b + count, b), axis=1)]
    vertices = np.concatenate((flat + above * normal, flat - depth * normal))
    return Mesh(vertices, np.concatenate((faces, faces[:, ::-1] + count, *sides)).astype(np.int32))
