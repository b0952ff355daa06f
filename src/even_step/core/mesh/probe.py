"""What can be measured on a part as it stands: distances, angles between faces, thickness."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.ray import first_hit

Vector = NDArray[np.float64]
CLEAR = 1e-6  # of the part's size, by which a ray begins beneath the facet it starts from


@dataclass(frozen=True)
class Reading:
    """Between two points: how far apart, how far along x, y and z, mm; between their faces, degrees, 180 in line."""

    distance: float
    along: tuple[float, float, float]
    angle: float


def reading(a: Vector, normal_a: Vector, b: Vector, normal_b: Vector) -> Reading:
    """Measure between two points with the outward normals of the faces they lie on, on the bed."""
    way = b - a
    cos = float(np.clip(normal_a @ normal_b / (np.linalg.norm(normal_a) * np.linalg.norm(normal_b)), -1.0, 1.0))
    along = tuple(float(abs(length)) for length in way)
    return Reading(
        float(np.linalg.norm(way)), (along[0], along[1], along[2]), 180.0 - float(np.degrees(np.arccos(cos)))
    )


def normal_on_bed(normal: Vector, matrix: NDArray[np.float64]) -> Vector:
    """Return a facet's outward normal, of length 1, on the bed.

    Parameters
    ----------
    normal
        In the frame of the file.
    matrix : (3, 3) float64
        From there to the bed; normals go by its inverse transposed, mirrored ones too.
    """
    turned = np.linalg.inv(matrix).T @ normal
    return np.asarray(turned / np.linalg.norm(turned))


def thickness(mesh: Mesh, point: Vector, normal: Vector, matrix: NDArray[np.float64]) -> float:
    """Return how thick a part is beneath a point, straight in from its face, mm on the bed; 0 where nothing is behind.

    Parameters
    ----------
    mesh, point, normal
        In the frame of the file.
    matrix : (3, 3) float64
        From there to the bed.
    """
    inward = np.linalg.inv(matrix) @ -normal_on_bed(normal, matrix)
    size = float(np.ptp(mesh.bounds, axis=0).max()) / float(np.linalg.norm(inward))
    begin = CLEAR * size
    hit = first_hit(mesh, point + inward * begin, inward)
    return hit[0] + begin if hit else 0.0
