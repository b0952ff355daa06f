"""A part's orientation: scaled, turned, set down on the bed; and orientations worth trying."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import Matrix, down_onto


def set_down(mesh: Mesh, matrix: Matrix) -> tuple[Mesh, NDArray[np.float64]]:
    """Turn a mesh and set it down: the middle of its bounds over the origin, its lowest point at z = 0.

    Parameters
    ----------
    mesh
        In the frame of its file, mm.
    matrix : (3, 3) float64
        Scale and rotation.

    Returns
    -------
    Mesh, (3,) float64
        The posed mesh, and the shift that followed the matrix, mm.
    """
    turned = mesh.mapped(matrix)
    low, high = turned.bounds
    shift = -np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    return turned.moved(shift), shift


def flat_sides(mesh: Mesh, most: int = 24) -> list[tuple[Matrix, float]]:
    """Return rotations that set the part on a flat side of its convex hull, the largest side first.

    Parameters
    ----------
    mesh
        Any mesh; without facets, a cloud of points.
    most
        How many at the most.

    Returns
    -------
    list of ((3, 3) float64, mm²)
        Rotation and area of the side. Coplanar hull facets count as one side (normals alike within about
        a degree). Empty for a mesh without volume.
    """
    from scipy.spatial import ConvexHull, QhullError  # noqa: PLC0415 - loads in 0.3 s, and few poses need it

    used = mesh.vertices[np.unique(mesh.faces)] if len(mesh.faces) else mesh.vertices
    try:
        hull = ConvexHull(used)
    except (QhullError, ValueError):
        return []
    corners = used[hull.simplices]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    key = np.round(hull.equations[:, :3] * 60).astype(np.int64)
    _, group = np.unique(key, axis=0, return_inverse=True)
    total = np.bincount(group, area)
    sides = []
    for chosen in np.argsort(-total, kind="stable")[:most]:
        members = group == chosen
        normal = (hull.equations[members, :3] * area[members, None]).sum(axis=0)
        sides.append((down_onto(normal), float(total[chosen])))
    return sides
