"""Patterns made of curves over the whole plane, cut to the room: honeycomb, gyroid, Hilbert curve, star spiral."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import cut, region
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.ragged import Index, Points
from even_step.core.plane.region import Regions
from even_step.core.slicing.patterns.fitting import Span, whole_cells
from even_step.core.slicing.patterns.rings import gathered
from even_step.core.work import Crew, runs_of

#: Length of a gyroid's lines per area, times its period, averaged over a period of heights (by quadrature).
GYROID_LENGTH = 2.4588
GYROID_STEPS = 24  # points a period: within 0.6 % of a period of the curve
SHORTEST = 0.5  # mm
STAR_POINTS, STAR_TIP = 8, 1.6  # how far the tips are, the inner corners being at 1


class HowItLies(Protocol):
    """What the curves need of a layout."""

    @property
    def pattern(self) -> str:
        """Name of the pattern."""

    @property
    def share(self) -> float:
        """Plastic over room, 0 to 1."""

    @property
    def angle(self) -> float:
        """Degrees."""

    @property
    def origin(self) -> tuple[float, float]:
        """A point the pattern is counted from, mm."""

    @property
    def fitted(self) -> Span | None:
        """What it is fitted to, if it is."""


def curves(rooms: Regions, filled: NDArray[np.float64], z: NDArray[np.float64], how: HowItLies, crew: Crew) -> Strokes:
    """Lay a pattern of curves in each room."""
    curve = CURVES[how.pattern]
    cos, sin = np.cos(np.radians(how.angle)), np.sin(np.radians(how.angle))
    turn = np.array([[cos, -sin], [sin, cos]])
    bounds = region.bounds(rooms)
    cell = np.array([curve.cell(float(one), how.share) for one in filled])
    origin = np.tile(how.origin, (len(rooms), 1))
    if how.fitted:
        if curve.middle is None:
            origin[:] = how.fitted.middle
        else:
            cell = whole_cells(cell, how.fitted.along)
            begin = np.stack((np.full(len(cell), -how.fitted.along / 2), -curve.middle * cell), axis=1)
            origin = begin @ turn.T + how.fitted.middle

    def lay(first: int, last: int) -> tuple[Points, Index, Index]:
        drawn: list[list[Points]] = []
        for i in range(first, last):
            if np.isnan(bounds[i, 0]):
                drawn.append([])
                continue
            x0, y0, x1, y1 = bounds[i] - np.tile(origin[i], 2)
            corners = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]) @ turn
            low, high = corners.min(axis=0), corners.max(axis=0)
            lines = curve.draw(low, high, float(filled[i]), float(cell[i]), float(z[i]))
            drawn.append([line @ turn.T + origin[i] for line in lines])
        return cut.lines_within(drawn, rooms[first:last], SHORTEST)

    return gathered(crew.each(lay, runs_of(region.area(rooms), most=20_000)))


def honeycomb(low: Points, high: Points, filled: float, cell: float, _: float) -> list[Points]:
    """Draw hexagons as columns that zigzag; where two columns share a wall their lines lie side by side."""
    side, half = cell / np.sqrt(3.0), cell / 2
    first, last = int(np.floor(low[0] / half)) - 1, int(np.ceil(high[0] / half)) + 1
    steps = np.arange(int(np.floor(low[1] / (3 * side))) - 1, int(np.ceil(high[1] / (3 * side))) + 1)
    rise = np.array([0.0, 1.0, 1.5, 2.5]) * side
    y = (steps[:, None] * 3 * side + rise).ravel()
    out = []
    for column in range(first, last + 1):
        left, right = column * half + filled / 2, (column + 1) * half - filled / 2
        near, far = (left, right) if column % 2 == 0 else (right, left)
        out.append(np.stack((np.tile([near, near, far, far], len(steps)), y), axis=1))
    return out


def _hexagon(filled: float, share: float) -> float:
    """Return how wide the hexagons are that a density asks for, ``√3·a`` of their side ``a``.

    A column √3/2·a wide has a line of ``2·a + 2·√((√3/2·a − s)² + a²/4)`` to each 3·a.
    """
    low, high = filled, 200.0 * filled / share
    for _ in range(60):
        side = (low + high) / 2
        half = np.sqrt(3.0) / 2 * side
        length = 2 * side + 2 * np.hypot(max(half - filled, 0.0), side / 2)
        low, high = (side, high) if filled * length / (3 * side * half) > share else (low, side)
    return float(np.sqrt(3.0) * high)


def gyroid(low: Points, high: Points, _: float, cell: float, z: float) -> list[Points]:
    """Draw sin x cos y + sin y cos z + sin z cos x = 0 at a height.

    Solved for x where |sin z| ≥ |cos z|, else for y: ``A·sin(x + φ) = −sin y cos z`` with ``A² = cos² y + sin² z``
    and ``tan φ = sin z / cos y``, whose two solutions a period are the curves.
    """
    unit = cell / (2 * np.pi)  # mm a radian
    low, high, z = low / unit, high / unit, z / unit
    upright = abs(np.sin(z)) >= abs(np.cos(z))
    along, across = (1, 0) if upright else (0, 1)
    step = 2 * np.pi / GYROID_STEPS
    t = np.arange(np.floor(low[along] / step) - 1, np.ceil(high[along] / step) + 2) * step
    if upright:
        size, phase = np.hypot(np.cos(t), np.sin(z)), np.unwrap(np.arctan2(np.sin(z), np.cos(t)))
        inner = np.arcsin(np.clip(-np.sin(t) * np.cos(z) / size, -1, 1))
    else:
        size, phase = np.hypot(np.cos(z), np.sin(t)), np.unwrap(np.arctan2(np.sin(t), np.cos(z)))
        inner = np.arcsin(np.clip(-np.sin(z) * np.cos(t) / size, -1, 1))
    first, last = int(np.floor((low[across] - 4) / np.pi)) - 1, int(np.ceil((high[across] + 4) / np.pi)) + 1
    out = []
    for k in range(first, last + 1):
        values = (inner if k % 2 == 0 else -inner) + k * np.pi - phase
        line = np.empty((len(t), 2))
        line[:, along], line[:, across] = t * unit, values * unit
        out.append(line)
    return out


def hilbert(low: Points, high: Points, _: float, cell: float, __: float) -> list[Points]:
    """Draw the part of a Hilbert curve that crosses a box; its cells are as wide as the density asks."""
    reach = float(np.abs(np.concatenate((low, high))).max()) / cell + 2
    order = max(1, int(np.ceil(np.log2(2 * reach))))
    shift = 2 ** (order - 1)
    first, last = np.floor(low / cell).astype(np.int64) + shift - 1, np.ceil(high / cell).astype(np.int64) + shift + 1
    points = _hilbert_squares(order, first, last)
    jumps = np.flatnonzero(np.abs(np.diff(points, axis=0)).sum(axis=1) > 1) + 1
    return [(piece - shift + 0.5) * cell for piece in np.split(points, jumps) if len(piece) > 1]


def _hilbert_squares(order: int, first: Index, last: Index) -> NDArray[np.float64]:
    """Return the cells of a Hilbert curve within a range of cells, in the curve's order (n, 2).

    Level by level each square becomes four, entered as the curve enters them; squares outside are dropped.
    """
    # A square: the corner where the curve enters, and the directions in which it goes first and in between.
    corner, along, aside = np.zeros((1, 2)), np.array([[1.0, 0.0]]), np.array([[0.0, 1.0]])
    for level in range(order):
        size = 2.0 ** (order - level - 1)
        parts = (
            (corner, aside, along),
            (corner + along * size, along, aside),
            (corner + (along + aside) * size, along, aside),
            (corner + (along + 2 * aside) * size, -aside, -along),
        )
        corner, along, aside = (np.stack([part[i] for part in parts], axis=1).reshape(-1, 2) for i in range(3))
        box_low = np.minimum(corner, corner + (along + aside) * size) - 1
        box_high = np.maximum(corner, corner + (along + aside) * size) + 1
        near = ((box_high > first) & (box_low < last)).all(axis=1)
        corner, along, aside = corner[near], along[near], aside[near]
    return np.asarray(np.floor(corner + (along + aside) / 2))


def star_spiral(low: Points, high: Points, _: float, cell: float, __: float) -> list[Points]:
    """Draw eight-pointed stars round the origin, each a spacing out of the last, as one spiral.

    All sides of a star are as far from its middle, so that neighbouring stars lie a spacing apart everywhere.
    """
    reach = float(np.hypot(*np.maximum(np.abs(low), np.abs(high))))
    tip, half = STAR_TIP, np.pi / STAR_POINTS
    side = tip * np.sin(half) / np.sqrt(tip * tip + 1 - 2 * tip * np.cos(half))  # how far sides are, inner corners at 1
    apart = cell / side
    corners = 2 * STAR_POINTS
    count = (int(np.ceil(reach / (side * apart))) + 2) * corners + 1
    number = np.arange(count)
    radius = apart * (number / corners + 0.5) * np.where(number % 2 == 0, tip, 1.0)
    return [np.stack((np.cos(number * half), np.sin(number * half)), axis=1) * radius[:, None]]


def _one_line(filled: float, share: float) -> float:
    """Return how wide cells are that hold one line each."""
    return filled / share


class Curve(NamedTuple):
    """A pattern of curves: how wide a cell is by plastic width and share, how it is drawn, and how it is fitted.

    ``middle`` is where a cell has its middle across the pattern, in cells; none of a pattern about one point.
    """

    cell: Callable[[float, float], float]
    draw: Callable[[Points, Points, float, float, float], list[Points]]
    middle: float | None


CURVES = {
    "honeycomb": Curve(_hexagon, honeycomb, 0.5 / np.sqrt(3.0)),
    "gyroid": Curve(lambda filled, share: GYROID_LENGTH * filled / share, gyroid, 0.0),
    "hilbert": Curve(_one_line, hilbert, 0.0),
    "star-spiral": Curve(_one_line, star_spiral, None),
}
