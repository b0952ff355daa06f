"""The edges of a mesh that a drawing may need: sharp ones, open ones, and those that can be an outline."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh

FLAT = 0.9999  # cosine between facets: an edge flatter than this is never drawn


def drawn_edges(mesh: Mesh) -> NDArray[np.float32]:
    """Return both ends of each edge with the normals of the two facets that meet there.

    Returns
    -------
    (2 E, 9) float32
        Two rows an edge: corner, one normal, the other. An open edge has opposite normals, so that it is
        always an outline. Edges within flat faces are left out; where more than two facets meet, neighbours
        in the order of the facets count as pairs.
    """
    corners = mesh.vertices[mesh.faces]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    a = mesh.faces.ravel().astype(np.int64)
    b = np.roll(mesh.faces, -1, axis=1).ravel().astype(np.int64)
    key = np.minimum(a, b) * len(mesh.vertices) + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    ordered = key[order]
    same = np.flatnonzero(ordered[1:] == ordered[:-1])
    alone = np.ones(len(key), bool)
    alone[same] = alone[same + 1] = False
    first = np.concatenate((order[same], order[alone]))
    one = normal[first // 3]
    other = np.concatenate((normal[order[same + 1] // 3], -normal[order[alone] // 3]))
    kept = np.einsum("ij,ij->i", one, other) < FLAT
    first, one, other = first[kept], one[kept], other[kept]
    rows = np.empty((len(first), 2, 9), np.float32)
    rows[:, 0, :3], rows[:, 1, :3] = mesh.vertices[a[first]], mesh.vertices[b[first]]
    rows[:, :, 3:6], rows[:, :, 6:] = one[:, None], other[:, None]
    return rows.reshape(-1, 9)
