"""Rotations from angles, and angles from rotations."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


def turn_matrix(degrees: tuple[float, float, float]) -> Matrix:
    """Return the (3, 3) rotation about x, then y, then z, each in degrees; quarter turns are exact."""
    matrix = np.eye(3)
    for axis, angle in enumerate(degrees):
        quarters, rest = divmod(angle, 90.0)
        if rest == 0.0:
            cos, sin = ((1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0))[int(quarters) % 4]
        else:
            cos, sin = float(np.cos(np.radians(angle))), float(np.sin(np.radians(angle)))
        i, j = (axis + 1) % 3, (axis + 2) % 3
        about = np.eye(3)
        about[i, i] = about[j, j] = cos
        about[i, j], about[j, i] = -sin, sin
        matrix = about @ matrix
    return matrix


def turn_of(matrix: Matrix) -> tuple[float, float, float]:
    """Return the turns about x, y and z that make a rotation, degrees; the inverse of ``turn_matrix``.

    Where y is turned by a right angle the other two are one; z is then 0.
    """
    about_y = float(np.arcsin(np.clip(-matrix[2, 0], -1.0, 1.0)))
    if abs(matrix[2, 0]) > 1 - 1e-12:
        side = -1.0 if matrix[2, 0] > 0 else 1.0
        angles = np.arctan2(side * matrix[0, 1], matrix[1, 1]), about_y, 0.0
    else:
        angles = np.arctan2(matrix[2, 1], matrix[2, 2]), about_y, np.arctan2(matrix[1, 0], matrix[0, 0])
    x, y, z = (round(float(np.degrees(angle)), 6) + 0.0 for angle in angles)
    return x, y, z


def down_onto(normal: NDArray[np.float64]) -> Matrix:
    """Return the rotation that turns a direction straight down, by the shortest way."""
    unit = normal / np.linalg.norm(normal)
    down = np.array([0.0, 0.0, -1.0])
    axis, cos = np.cross(unit, down), float(unit @ down)
    if cos < -1 + 1e-12:
        return turn_matrix((180.0, 0.0, 0.0))
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    return np.asarray(np.eye(3) + cross + cross @ cross / (1 + cos))
