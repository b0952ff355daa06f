"""Poses worth trying, and what each would cost, before anything is sliced."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.measure import facet_normal, limit_toward
from even_step.core.mesh.mesh import Mesh, Vertices
from even_step.core.mesh.pose import flat_sides
from even_step.core.mesh.turning import Matrix, turn_matrix

AXES_DOWN = ((0, 0, 0), (180, 0, 0), (90, 0, 0), (-90, 0, 0), (0, 90, 0), (0, -90, 0))
AZIMUTHS = 24  # turns about z that are tried where the limits differ
MANY_VERTICES = 5_000
DIRECTIONS = 600  # in which the outermost vertex of a large mesh is looked for
FLAT = math.cos(math.radians(1.0))
RESTS = 0.05  # mm above the bed
ALIKE = 0.002  # degrees in radians, about a tenth: turns no farther apart are one


@dataclass(frozen=True, eq=False)
class PoseCosts:
    """What poses would cost.

    Attributes
    ----------
    matrix : (C, 3, 3) float64
        Rotations from the mesh's frame.
    support : (C,) float64
        Room under what hangs past the machine's limit, down to the bed, mm³.
    contact : (C,) float64
        What rests on the bed, mm².
    height : (C,) float64
        mm.
    slope : (C,) float64
        Mean of |n_z| over all facets that are not flat: times a layer's height it is the mean stair they show.
    """

    matrix: NDArray[np.float64]
    support: NDArray[np.float64]
    contact: NDArray[np.float64]
    height: NDArray[np.float64]
    slope: NDArray[np.float64]


def candidates(mesh: Mesh, most: int = 100) -> list[Matrix]:
    """Return rotations worth trying: the six axes down, then the largest flat sides of the convex hull."""
    tries = [turn_matrix(turn) for turn in AXES_DOWN]
    for matrix, _ in flat_sides(Mesh(outermost(mesh), mesh.faces[:0]), most):
        if all(float(np.abs(matrix[2] - other[2]).max()) > ALIKE for other in tries):
            tries.append(matrix)
    return tries[:most]


def outermost(mesh: Mesh) -> Vertices:
    """Return vertices whose convex hull has the flat sides of the mesh: all, or the outermost in many directions."""
    marked = np.zeros(len(mesh.vertices), np.bool_)
    marked[mesh.faces.ravel()] = True
    used = np.ascontiguousarray(mesh.vertices[marked])
    if len(used) <= MANY_VERTICES:
        return used
    # Directions even over the sphere (González, "Measurement of areas on a sphere using Fibonacci and
    # latitude-longitude lattices", 2010).
    k = np.arange(DIRECTIONS) + 0.5
    z, turn = 1 - 2 * k / DIRECTIONS, np.pi * (1 + np.sqrt(5.0)) * k
    level = np.sqrt(1 - z * z)
    directions = np.stack((level * np.cos(turn), level * np.sin(turn), z), axis=1)
    return np.ascontiguousarray(used[np.unique(_farthest(used, directions))])


def pose_costs(
    mesh: Mesh, tries: list[Matrix], limits: tuple[float, float, float, float], resting: float = RESTS
) -> PoseCosts:
    """Work out what each pose would cost.

    Parameters
    ----------
    mesh
        mm, scaled, in any pose.
    tries
        Rotations.
    limits
        Degrees from the vertical toward +x, +y, −x, −y. Where they differ each pose is also turned about z, to where
        least hangs.
    resting
        Facets wholly below this height rest on the bed, mm.

    Notes
    -----
    What hangs is taken as prisms from each facet down to the bed, so the volume is at least what supports fill.
    """
    azimuths = np.arange(AZIMUTHS) * (360.0 / AZIMUTHS) if len(set(limits)) > 1 else np.zeros(1)
    matrices = np.array(tries)
    low, high = _reach(mesh.vertices, mesh.faces, matrices)
    support = np.zeros((len(tries), len(azimuths)))
    sums = np.zeros((len(tries), 4))
    _costs(mesh.vertices, mesh.faces, matrices, low, np.array(limits), azimuths, resting, support, sums)
    support += sums[:, 3:]
    best = np.argmin(np.round(support, 3), axis=1)
    about_z = np.array([turn_matrix((0.0, 0.0, azimuth)) for azimuth in azimuths])
    return PoseCosts(
        about_z[best] @ matrices,
        support[np.arange(len(tries)), best],
        sums[:, 0],
        high - low,
        sums[:, 1] / np.maximum(sums[:, 2], 1e-9),
    )


@kernel
def _reach(vertices, faces, matrices):  # type: ignore[no-untyped-def]
    """Return the least and the largest height in each pose."""
    used = np.zeros(vertices.shape[0], np.bool_)
    for f in range(faces.shape[0]):
        for k in range(3):
            used[faces[f, k]] = True
    low, high = np.full(matrices.shape[0], np.inf), np.full(matrices.shape[0], -np.inf)
    for v in range(vertices.shape[0]):
        if used[v]:
            x, y, z = vertices[v, 0], vertices[v, 1], vertices[v, 2]
            for t in range(matrices.shape[0]):
                h = matrices[t, 2, 0] * x + matrices[t, 2, 1] * y + matrices[t, 2, 2] * z
                low[t] = min(low[t], h)
                high[t] = max(high[t], h)
    return low, high


@kernel
def _farthest(points, directions):  # type: ignore[no-untyped-def]
    """Return the number of the farthest point in each direction."""
    out = np.zeros(directions.shape[0], np.int64)
    for d in range(directions.shape[0]):
        best = -np.inf
        for i in range(points.shape[0]):
            far = points[i, 0] * directions[d, 0] + points[i, 1] * directions[d, 1] + points[i, 2] * directions[d, 2]
            if far > best:
                best = far
                out[d] = i
    return out


@kernel
def _costs(vertices, faces, matrices, low, limits, azimuths, resting, support, sums):  # type: ignore[no-untyped-def]
    """Add up what hangs, what rests, and how much slopes."""
    least, most = math.sin(math.radians(limits.min())), math.sin(math.radians(limits.max()))
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        nx, ny, nz = facet_normal(vertices, a, b, c)
        long = math.sqrt(nx * nx + ny * ny + nz * nz)
        if long <= 0.0:
            continue
        area = 0.5 * long
        nx, ny, nz = nx / long, ny / long, nz / long
        x = (vertices[a, 0] + vertices[b, 0] + vertices[c, 0]) / 3.0
        y = (vertices[a, 1] + vertices[b, 1] + vertices[c, 1]) / 3.0
        z = (vertices[a, 2] + vertices[b, 2] + vertices[c, 2]) / 3.0
        for t in range(matrices.shape[0]):
            mx, my, mz = matrices[t, 2, 0], matrices[t, 2, 1], matrices[t, 2, 2]
            up = mx * nx + my * ny + mz * nz
            if abs(up) < FLAT:
                sums[t, 1] += area * abs(up)
                sums[t, 2] += area
            if -up <= least:
                continue
            middle = mx * x + my * y + mz * z - low[t]
            if middle <= resting:
                top = -np.inf
                for v in (a, b, c):
                    top = max(top, mx * vertices[v, 0] + my * vertices[v, 1] + mz * vertices[v, 2] - low[t])
                if top <= resting:
                    sums[t, 0] -= area * up
                    continue
            if -up > most:
                sums[t, 3] -= area * up * middle  # hangs whichever way it faces
                continue
            angle = math.degrees(math.asin(min(1.0, -up)))
            east = matrices[t, 0, 0] * nx + matrices[t, 0, 1] * ny + matrices[t, 0, 2] * nz
            north = matrices[t, 1, 0] * nx + matrices[t, 1, 1] * ny + matrices[t, 1, 2] * nz
            toward = math.degrees(math.atan2(north, east))
            for k in range(azimuths.shape[0]):
                if angle > limit_toward(limits, toward + azimuths[k]):
                    support[t, k] -= area * up * middle
    return 0
