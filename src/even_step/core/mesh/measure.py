"""Volume, area and overhang of a mesh."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh

LEVEL = 1e-4  # mm of height within a facet that lies level


class Measures(NamedTuple):
    """Volume in mm³ (signed) and surface in mm²."""

    volume: float
    area: float


def measure(mesh: Mesh) -> Measures:
    """Return the signed volume (sum of tetrahedra over a corner of the mesh) and the surface of a mesh."""
    return Measures(*_measure(mesh.vertices, mesh.faces))


def overhang(mesh: Mesh, limits: tuple[float, float, float, float], above: float) -> NDArray[np.float64]:
    """Return how much of each facet hangs over more than the machine's limit, as seen from below.

    Parameters
    ----------
    mesh
        Posed, standing on z = 0.
    limits
        Degrees from the vertical toward +x, +y, −x, −y, interpolated linearly round the compass.
    above
        Facets wholly below this height rest on the bed and do not count, mm.

    Returns
    -------
    (F,) float64
        mm², projected on the bed; 0 for facets within the limit.
    """
    return np.asarray(_overhang(mesh.vertices, mesh.faces, np.array(limits), above))


def flat_facets(mesh: Mesh) -> NDArray[np.int64]:
    """Return the numbers of the facets that lie level, facing up or down."""
    return np.asarray(_flat(mesh.vertices, mesh.faces))


@kernel
def _flat(vertices, faces):  # type: ignore[no-untyped-def]
    out = np.empty(faces.shape[0], np.int64)
    count = 0
    for f in range(faces.shape[0]):
        z = vertices[faces[f, 0], 2]
        if abs(vertices[faces[f, 1], 2] - z) < LEVEL and abs(vertices[faces[f, 2], 2] - z) < LEVEL:
            out[count] = f
            count += 1
    return out[:count].copy()


@kernel
def facet_normal(vertices, a, b, c):  # type: ignore[no-untyped-def]
    """Return a facet's normal, as long as twice its area."""
    ux = vertices[b, 0] - vertices[a, 0]
    uy = vertices[b, 1] - vertices[a, 1]
    uz = vertices[b, 2] - vertices[a, 2]
    vx = vertices[c, 0] - vertices[a, 0]
    vy = vertices[c, 1] - vertices[a, 1]
    vz = vertices[c, 2] - vertices[a, 2]
    return uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx


@kernel
def _measure(vertices, faces):  # type: ignore[no-untyped-def]
    volume = 0.0
    area = 0.0
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        nx, ny, nz = facet_normal(vertices, a, b, c)
        area += math.sqrt(nx * nx + ny * ny + nz * nz)
        volume += (
            (vertices[a, 0] - vertices[0, 0]) * nx
            + (vertices[a, 1] - vertices[0, 1]) * ny
            + (vertices[a, 2] - vertices[0, 2]) * nz
        )
    return volume / 6.0, area / 2.0


@kernel
def limit_toward(limits, degrees):  # type: ignore[no-untyped-def]
    """Return the limit in a direction of the compass, between those of its four quarters."""
    turn = (degrees / 90.0) % 4.0
    first = int(turn) % 4
    share = turn - int(turn)
    return limits[first] * (1.0 - share) + limits[(first + 1) % 4] * share


@kernel
def _overhang(vertices, faces, limits, above):  # type: ignore[no-untyped-def]
    out = np.zeros(faces.shape[0])
    # What no limit forbids, and what every one does, is told by its slope alone, for angles cost most.
    gentle = math.tan(math.radians(min(limits.min(), 89.9))) if limits.min() > 0.0 else 0.0
    steep = math.tan(math.radians(min(limits.max() + 0.01, 89.99)))
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        if max(vertices[a, 2], vertices[b, 2], vertices[c, 2]) <= above:
            continue
        nx, ny, nz = facet_normal(vertices, a, b, c)
        if nz >= 0.0:
            continue
        level = math.sqrt(nx * nx + ny * ny)
        if -nz < gentle * level:
            continue
        if -nz <= steep * level:
            angle = math.degrees(math.atan2(-nz, level))
            if angle <= limit_toward(limits, math.degrees(math.atan2(ny, nx))):
                continue
        out[f] = -nz / 2.0
    return out
