"""A mesh with fewer facets, for drawing while the view moves; and the corners that decide where it ends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh

FINEST_SHARE = 1 / 32  # of the largest side, the cell tried first


def coarse(mesh: Mesh, most: int) -> Mesh:
    """Return a mesh with at most about so many facets, by joining the vertices of a cell.

    Parameters
    ----------
    mesh
        Any mesh.
    most
        Facets wanted at the most; a mesh with fewer comes back as it is.

    Notes
    -----
    Vertex clustering after Rossignac and Borrel, "Multi-resolution 3D approximations for rendering complex
    scenes", 1993. The cell is chosen from the facets a surface leaves in it: their number falls with its
    square.
    """
    if len(mesh.faces) <= most:
        return mesh
    low, high = mesh.bounds
    cell = float((high - low).max()) * FINEST_SHARE
    joined = _clustered(mesh, cell)
    for _ in range(3):
        cell *= float(np.sqrt(max(len(joined.faces), 1) / most))
        joined = _clustered(mesh, cell)
        if 0.5 * most <= len(joined.faces) <= most:
            break
    return joined


def _clustered(mesh: Mesh, cell: float) -> Mesh:
    """Join the vertices of each cell in their middle and drop the facets that collapse."""
    at = np.floor((mesh.vertices - mesh.bounds[0]) / cell).astype(np.int64)
    across = at.max(axis=0) + 1
    found, number = np.unique((at[:, 2] * across[1] + at[:, 1]) * across[0] + at[:, 0], return_inverse=True)
    count = len(found)
    share = 1.0 / np.bincount(number, minlength=count)
    middle = np.stack([np.bincount(number, mesh.vertices[:, axis], count) * share for axis in range(3)], axis=1)
    faces = number[mesh.faces]
    kept = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return Mesh(middle, np.ascontiguousarray(faces[kept], np.int32))


def extremes(mesh: Mesh) -> NDArray[np.float64]:
    """Return the vertices of the convex hull: they alone decide the bounds of a part in any pose.

    Returns
    -------
    (n, 3) float64
        Of a mesh without volume, all used vertices.
    """
    from scipy.spatial import ConvexHull, QhullError  # noqa: PLC0415 - loads in 0.3 s, and only readers need it

    used = mesh.vertices[np.unique(mesh.faces)]
    try:
        return np.ascontiguousarray(used[ConvexHull(used).vertices])
    except (QhullError, ValueError):
        return used
