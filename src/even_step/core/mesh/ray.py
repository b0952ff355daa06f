"""Which facet a ray meets first: what lies under the pointer."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh

#: Share of a facet by which it reaches over its edges: a ray along an edge is not to slip between two facets.
CRACK = 1e-9


def first_hit(mesh: Mesh, origin: NDArray[np.float64], direction: NDArray[np.float64]) -> tuple[float, int] | None:
    """Return how far along a ray the first facet lies, and which.

    Parameters
    ----------
    mesh
        Any mesh; winding does not matter.
    origin, direction : (3,) float64
        The ray, in the frame of the mesh; the distance is in lengths of the direction.

    Returns
    -------
    (float, int) or None
        None where nothing is met.

    Notes
    -----
    Möller and Trumbore, "Fast, minimum storage ray/triangle intersection", 1997, over all facets: a million
    take about 10 ms.
    """
    far, facet = _first_hit(
        mesh.vertices, mesh.faces, np.asarray(origin, np.float64), np.asarray(direction, np.float64)
    )
    return (float(far), int(facet)) if facet >= 0 else None


@kernel
def _first_hit(vertices, faces, origin, direction):  # type: ignore[no-untyped-def]
    ox, oy, oz = origin[0], origin[1], origin[2]
    dx, dy, dz = direction[0], direction[1], direction[2]
    best = np.inf
    found = -1
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ux = vertices[b, 0] - vertices[a, 0]
        uy = vertices[b, 1] - vertices[a, 1]
        uz = vertices[b, 2] - vertices[a, 2]
        vx = vertices[c, 0] - vertices[a, 0]
        vy = vertices[c, 1] - vertices[a, 1]
        vz = vertices[c, 2] - vertices[a, 2]
        px = dy * vz - dz * vy
        py = dz * vx - dx * vz
        pz = dx * vy - dy * vx
        det = ux * px + uy * py + uz * pz
        if det == 0.0:
            continue
        sx = ox - vertices[a, 0]
        sy = oy - vertices[a, 1]
        sz = oz - vertices[a, 2]
        one = (sx * px + sy * py + sz * pz) / det
        if one < -CRACK or one > 1.0 + CRACK:
            continue
        qx = sy * uz - sz * uy
        qy = sz * ux - sx * uz
        qz = sx * uy - sy * ux
        other = (dx * qx + dy * qy + dz * qz) / det
        if other < -CRACK or one + other > 1.0 + CRACK:
            continue
        far = (vx * qx + vy * qy + vz * qz) / det
        if 0.0 <= far < best:
            best = far
            found = f
    return best, found
