"""A mesh with fewer facets, for drawing while the view moves; and the corners that decide where it ends."""

from __future__ import annotations

from itertools import product

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh

MOST_HULLED = 20_000  # vertices whose convex hull is looked for
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
    """Return vertices that alone decide the bounds of a part in any pose: those of the convex hull, at least.

    Returns
    -------
    (n, 3) float64
        Of a mesh without volume, all used vertices. Of one so round that most of its vertices are on the hull, all
        that may be, for finding the hull would take longer than its use saves.
    """
    from scipy.spatial import ConvexHull, QhullError  # noqa: PLC0415 - loads in 0.3 s, and only readers need it

    touched = np.zeros(len(mesh.vertices), np.bool_)
    touched[mesh.faces.ravel()] = True
    used = mesh.vertices[touched]
    try:
        if len(used) > MOST_HULLED:
            used = used[_may_be_outermost(used)]
        if len(used) > MOST_HULLED:
            return used
        return np.ascontiguousarray(used[ConvexHull(used).vertices])
    except (QhullError, ValueError):
        return used


def _may_be_outermost(points: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which points lie outside a polytope whose corners are the outermost points in some directions."""
    from scipy.spatial import ConvexHull  # noqa: PLC0415

    directions = [way for way in product((-1.0, 0.0, 1.0), repeat=3) if any(way)]
    corners = np.unique([int(np.argmax(points @ np.array(way))) for way in directions])
    sides = ConvexHull(points[corners]).equations.astype(np.float64)
    slack = 1e-9 * float(np.ptp(points, axis=0).max())
    outside = np.zeros(len(points), np.bool_)
    for normal_and_offset in sides:
        outside |= points @ normal_and_offset[:3] + normal_and_offset[3] > -slack
    return outside
