"""Shapes as runs of cells, row by row, and where two of them cannot both lie.

The set of places where one shape overlaps another is their no-fit region (Minkowski difference; for polygons see
Burke et al., "Complete and robust no-fit polygon generation for the irregular stock cutting problem", 2007). Of runs
it is found by adding up runs: row by row the differences of their ends.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index


@dataclass(frozen=True, eq=False)
class Runs:
    """Cells of a grid.

    Attributes
    ----------
    spans : (n, 3) int64
        Row, first column and last column of each run; cell (0, 0) has its lower left corner at the grid's origin.
    low, high : (2,) int64
        Least and largest column and row.
    """

    spans: Index
    low: Index
    high: Index


NO_CELLS = Runs(np.empty((0, 3), np.int64), np.zeros(2, np.int64), np.zeros(2, np.int64))


def runs_of_shape(shape: region.Geometry, origin: NDArray[np.float64], cell: float) -> Runs:
    """Return every cell that a shape touches.

    Parameters
    ----------
    shape
        A region, not empty, mm.
    origin : (2,) float64
        Where the grid's cell (0, 0) begins, mm.
    cell
        Its size, mm.
    """
    rings = region.rings(np.array([shape], object))
    xy = (rings.xy - origin) / cell
    low, high = np.floor(xy.min(axis=0)).astype(np.int64), np.floor(xy.max(axis=0)).astype(np.int64)
    across, deep = high - low + 1
    touched = np.zeros((deep, across), np.bool_)
    _touch(xy - low, rings.start, touched)
    padded = np.pad(touched, ((0, 0), (1, 1))).astype(np.int8)
    turns = np.diff(padded, axis=1)
    row, first = np.nonzero(turns == 1)
    _, end = np.nonzero(turns == -1)
    spans = np.stack((row + low[1], first + low[0], end - 1 + low[0]), axis=1)
    return Runs(np.ascontiguousarray(spans, np.int64), low, high)


def no_fit(lying: Runs, other: Runs) -> tuple[NDArray[np.bool_], Index]:
    """Return by how many columns and rows ``other`` may not be moved, lest it shares a cell with what lies.

    Returns
    -------
    (rows, columns) bool, (2,) int64
        True where it overlaps; and the column and row that the first entry stands for.
    """
    low, high = lying.low - other.high, lying.high - other.low
    across, deep = high - low + 1
    ends = np.zeros((deep, across + 1), np.int32)
    _add_differences(lying.spans, other.spans, low, ends)
    return np.cumsum(ends[:, :-1], axis=1) > 0, low


@kernel
def _add_differences(lying, other, low, ends):  # type: ignore[no-untyped-def]
    for i in range(lying.shape[0]):
        for j in range(other.shape[0]):
            row = lying[i, 0] - other[j, 0] - low[1]
            ends[row, lying[i, 1] - other[j, 2] - low[0]] += 1
            ends[row, lying[i, 2] - other[j, 1] - low[0] + 1] -= 1
    return 0


@kernel
def _touch(xy, start, touched):  # type: ignore[no-untyped-def]
    """Mark the cells that rings pass through, and those whose middle lies within them."""
    deep, across = touched.shape
    flips = np.zeros((deep, across + 1), np.bool_)
    for r in range(start.shape[0] - 1):
        j = start[r + 1] - 1
        for i in range(start[r], start[r + 1]):
            x0, y0, x1, y1 = xy[j, 0], xy[j, 1], xy[i, 0], xy[i, 1]
            j = i
            if y0 > y1:
                x0, y0, x1, y1 = x1, y1, x0, y0
            slope = (x1 - x0) / (y1 - y0) if y1 > y0 else 0.0
            for row in range(min(int(y0), deep - 1), min(int(y1), deep - 1) + 1):
                a = x0 + slope * (max(y0, row) - y0)
                b = x0 + slope * (min(y1, row + 1.0) - y0) if y1 > y0 else x1
                if a > b:
                    a, b = b, a
                for column in range(max(int(a), 0), min(int(b), across - 1) + 1):
                    touched[row, column] = True
                middle = row + 0.5
                if y0 <= middle < y1:
                    x = x0 + slope * (middle - y0)
                    flips[row, min(max(int(np.ceil(x - 0.5)), 0), across)] ^= True
    for row in range(deep):
        inside = False
        for column in range(across):
            inside ^= flips[row, column]
            if inside:
                touched[row, column] = True
    return 0
