"""Meshes of simple solids: box, cylinder, ball."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh

FINE = 0.01  # mm that a facet may lie off the round solid
FEWEST, MOST = 24, 720  # sides


def box(size: NDArray[np.float64]) -> Mesh:
    """Return a box about the origin; its size along x, y and z, mm."""
    return _tower(np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) / 2, np.array([-0.5, 0.5]), np.ones(2), size)


def cylinder(size: NDArray[np.float64]) -> Mesh:
    """Return an upright cylinder about the origin: two diameters and a height, mm.

    Its section is a polygon of the circle's area.
    """
    return _tower(_polygon(_sides(size)), np.array([-0.5, 0.5]), np.ones(2), size)


def ball(size: NDArray[np.float64]) -> Mesh:
    """Return a ball about the origin with three diameters, mm."""
    sides = _sides(size)
    turn = np.pi * np.arange(1, sides // 2) / (sides // 2)
    return _tower(_polygon(sides), -np.cos(turn) / 2, np.sin(turn), size, tips=True)


def _sides(size: NDArray[np.float64]) -> int:
    """Return how many sides a circle as large as the size takes."""
    half = float(size.max()) / 2
    wanted = np.pi / np.arccos(1.0 - min(FINE / half, 0.5))
    return 4 * int(np.ceil(np.clip(wanted, FEWEST, MOST) / 4))


def _polygon(sides: int) -> NDArray[np.float64]:
    """Return a regular polygon with the area of a circle of diameter 1, (n, 2)."""
    turn = 2 * np.pi * np.arange(sides) / sides
    half = 0.5 * np.sqrt(2 * np.pi / (sides * np.sin(2 * np.pi / sides)))
    return np.stack((half * np.cos(turn), half * np.sin(turn)), axis=1)


def _tower(
    ring: NDArray[np.float64],
    at: NDArray[np.float64],
    wide: NDArray[np.float64],
    size: NDArray[np.float64],
    *,
    tips: bool = False,
) -> Mesh:
    """Return rings over one another, closed at both ends by a fan; with ``tips`` these reach to half the height."""
    n, levels = len(ring), len(at)
    xyz = np.concatenate([np.column_stack((ring * w, np.full(n, z))) for z, w in zip(at, wide, strict=True)])
    ends = np.array([[0, 0, -0.5 if tips else at[0]], [0, 0, 0.5 if tips else at[-1]]])
    bottom, top = n * levels, n * levels + 1
    i = np.arange(n)
    j = (i + 1) % n
    faces = [np.stack((np.full(n, bottom), j, i), axis=1)]
    for level in range(levels - 1):
        a, b = level * n, level * n + n
        faces += [np.stack((a + i, a + j, b + j), axis=1), np.stack((a + i, b + j, b + i), axis=1)]
    last = n * (levels - 1)
    faces.append(np.stack((np.full(n, top), last + i, last + j), axis=1))
    return Mesh(np.concatenate((xyz, ends)) * size, np.concatenate(faces).astype(np.int32))
