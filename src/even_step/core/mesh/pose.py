"""A part's orientation: scaled, turned, set down on the bed; and orientations worth trying."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.measure import overhang_area
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import Matrix, down_onto, turn_matrix


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
    vertices = mesh.vertices if (matrix == np.eye(3)).all() else mesh.vertices @ matrix.T
    low, high = Mesh(vertices, mesh.faces).bounds
    shift = -np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    return Mesh(vertices + shift, mesh.faces), shift


def flat_sides(mesh: Mesh, most: int = 24) -> list[tuple[Matrix, float]]:
    """Return rotations that set the part on a flat side of its convex hull, the largest side first.

    Parameters
    ----------
    mesh
        Any mesh.
    most
        How many at the most.

    Returns
    -------
    list of ((3, 3) float64, mm²)
        Rotation and area of the side. Coplanar hull facets count as one side (normals alike within about
        a degree). Empty for a mesh without volume.
    """
    from scipy.spatial import ConvexHull, QhullError  # noqa: PLC0415 - loads in 0.3 s, and few poses need it

    used = mesh.vertices[np.unique(mesh.faces)]
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


def best_pose(mesh: Mesh, limits: tuple[float, float, float, float]) -> Matrix:
    """Return the rotation that needs least support for a sound footing, among flat sides and the six axes.

    The cost of a pose is its overhanging area past the machine's limit, less what rests on the bed, plus
    the height times the breadth of the part (a tall part takes longer and sways); all in mm².
    """
    tries = [turn_matrix(t) for t in ((0, 0, 0), (180, 0, 0), (90, 0, 0), (-90, 0, 0), (0, 90, 0), (0, -90, 0))]
    tries += [matrix for matrix, _ in flat_sides(mesh)]
    costs = []
    for matrix in tries:
        posed, _ = set_down(mesh, matrix)
        size = posed.bounds[1] - posed.bounds[0]
        hanging = overhang_area(posed, limits, 0.05)
        contact = overhang_area(posed, (80.0,) * 4, -1.0) - overhang_area(posed, (80.0,) * 4, 0.05)
        costs.append(hanging - 0.5 * contact + 0.1 * size[2] * float(np.sqrt(size[0] * size[1])))
    return tries[int(np.argmin(np.round(costs, 3)))]
