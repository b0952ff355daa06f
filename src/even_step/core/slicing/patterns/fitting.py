"""Patterns fitted to what they fill: centred on it, with whole cells from side to side."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.region import Regions

ASIDE = 1e-3  # mm the outermost lines lie outside: the walls are the sides of the outermost cells


class Span(NamedTuple):
    """What a pattern is fitted to: its middle in the solid's frame, its length along the pattern and across it, mm."""

    middle: tuple[float, float]
    along: float
    across: float


def span_of(rooms: Regions, angle: float) -> Span | None:
    """Return how far all rooms of a part reach together, seen from a pattern that lies at an angle, degrees.

    One for all its layers, or lines would not lie upon lines. None where there is no room.
    """
    xy = region.rings(rooms).xy
    if len(xy) == 0:
        return None
    cos, sin = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    turned = xy @ np.array([[cos, -sin], [sin, cos]])
    low, high = turned.min(axis=0) - ASIDE, turned.max(axis=0) + ASIDE
    u, v = (low + high) / 2
    return Span((float(u * cos - v * sin), float(u * sin + v * cos)), *(high - low).tolist())


def whole_cells(cell: NDArray[np.float64], long: float | NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the width of cells of which a whole number goes into a length, as near to a width as can be, mm."""
    return np.asarray(long / np.maximum(np.round(long / cell), 1.0))


def whole_rows(spacing: NDArray[np.float64], long: float | NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the spacing of lines that part a length into whole cells, of as many lines as hold the plastic, mm."""
    return np.asarray(long / (np.round(long / spacing) + 1.0))
