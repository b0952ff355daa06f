"""Patterns made of parallel lines in one, two or three directions.

Each gives, for rooms in layers of some number and height, the angles of its families (n, k) in degrees and by how much
their lines are shifted aside (n, k), mm.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane.ragged import Index
from even_step.core.slicing.patterns.fitting import Span, whole_cells, whole_rows

#: Three families of which one lies half a spacing aside leave six-pointed stars between them; in spacings.
KAGOME_SHIFT = np.array([0.0, 0.0, 0.5])

THREE = 3
Family = tuple[NDArray[np.float64], NDArray[np.float64]]


def _same(angles: tuple[float, ...], count: int) -> NDArray[np.float64]:
    return np.tile(np.array(angles), (count, 1))


def lines(angle: float, turn: Index, z: NDArray[np.float64]) -> Family:
    """Lie across each other from layer to layer."""
    return np.asarray(angle + 90.0 * (turn % 2), np.float64)[:, None], np.zeros((len(z), 1))


def grid(angle: float, turn: Index, _: NDArray[np.float64]) -> Family:
    """Cross in every layer."""
    return _same((angle, angle + 90.0), len(turn)), np.zeros((len(turn), 2))


def triangles(angle: float, turn: Index, _: NDArray[np.float64]) -> Family:
    """Three families that meet in points."""
    return _same((angle, angle + 60.0, angle + 120.0), len(turn)), np.zeros((len(turn), 3))


def cubic(angle: float, _: Index, z: NDArray[np.float64]) -> Family:
    """Cubes that stand on a corner, cut at a height: three families that wander by ``z/√2``."""
    return _same((angle, angle + 120.0, angle + 240.0), len(z)), np.repeat(z[:, None] / np.sqrt(2.0), 3, axis=1)


def fitted(
    spacing: NDArray[np.float64], offset: NDArray[np.float64], angle: float, span: Span
) -> tuple[NDArray[np.float64], tuple[float, float]]:
    """Return the spacings (n, k) that leave whole cells, mm, and the point from which the rows are then counted.

    Lines that lie across each other have a spacing of their own each way. Three families keep one, or they would meet
    in points no more: theirs fits the lines along the pattern; across it lies as far to one side as to the other.

    Parameters
    ----------
    spacing : (n, k) float64
        As the density asks, mm.
    offset : (n, k) float64
        How the lines are turned from the pattern's angle, degrees.
    angle
        Of the pattern, degrees.
    span
        What it is fitted to.
    """
    three = spacing.shape[1] == THREE
    upright = (np.round(offset / 90.0) % 2 == 1) & (not three)
    begin = np.array([0.0 if three else -span.along / 2, -span.across / 2])
    cos, sin = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    x, y = begin @ np.array([[cos, sin], [-sin, cos]]) + span.middle
    wide = np.where(upright, span.along, span.across)
    return (whole_cells if three else whole_rows)(spacing, wide), (float(x), float(y))


FAMILIES: dict[str, Callable[[float, Index, NDArray[np.float64]], Family]] = {
    "lines": lines,
    "grid": grid,
    "triangles": triangles,
    "kagome": triangles,
    "cubic": cubic,
}
