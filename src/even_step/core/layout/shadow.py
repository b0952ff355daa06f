"""What a part covers of the bed, seen from above."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import turn_matrix
from even_step.core.plane import region
from even_step.core.plane.ragged import Points

FINEST = 0.1  # mm, cells in which the shadow is found
MOST_CELLS = 800  # along the longer side
STAIR = 1.0  # cells: the steps of a slanting edge lie within that


@dataclass(frozen=True, eq=False)
class Shadow:
    """The shadow of a part on the bed, the middle of its bounds over the origin.

    Attributes
    ----------
    shape : region
        Holds the shadow, with at most 0.35 mm beside it (a 230th of its length where it is very large).
    corners : (n, 2) float64
        Points of the part that decide its bounds in any turn about z, mm.
    """

    shape: region.Geometry
    corners: Points

    @property
    def size(self) -> NDArray[np.float64]:
        """Width and depth, (2,), mm."""
        return np.asarray(np.ptp(self.corners, axis=0))

    def turned(self, degrees: float) -> Shadow:
        """Return the shadow of the part turned about z and centred again."""
        if degrees % 360.0 == 0.0:
            return self
        return _turned(self, degrees % 360.0)


@lru_cache(1024)
def _turned(shadow: Shadow, degrees: float) -> Shadow:
    matrix = turn_matrix((0.0, 0.0, degrees))[:2, :2]
    return centred(region.mapped(shadow.shape, matrix), shadow.corners @ matrix.T)


def centred(shape: region.Geometry, corners: Points) -> Shadow:
    """Return a shadow with the middle of its corners' bounds over the origin."""
    middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
    return Shadow(region.shifted(shape, -middle[0], -middle[1]), corners - middle)


def shadow_of(mesh: Mesh) -> Shadow:
    """Return what a posed mesh covers of the bed."""
    flat = np.ascontiguousarray(mesh.vertices[:, :2])
    low, high = flat.min(axis=0), flat.max(axis=0)
    cell = max(FINEST, float((high - low).max()) / MOST_CELLS)
    across, deep = np.maximum(np.ceil((high - low) / cell).astype(np.int64), 1)
    covered = np.zeros((deep, across), np.bool_)
    _shade(flat, mesh.faces, low, cell, covered)
    stairs = region.of_cells(covered, low, cell)
    return centred(region.smoothed(stairs, STAIR * cell), region.hull_corners(flat))


def box_shadow(width: float, depth: float) -> Shadow:
    """Return the shadow of a rectangle, mm."""
    x, y = width / 2, depth / 2
    return Shadow(region.rectangle(-x, -y, x, y), np.array([(-x, -y), (x, -y), (x, y), (-x, y)]))


@kernel
def _shade(flat, faces, low, cell, covered):  # type: ignore[no-untyped-def]
    """Mark every cell that a facet seen from above touches."""
    deep, across = covered.shape
    for f in range(faces.shape[0]):
        top, bottom = -np.inf, np.inf
        for k in range(3):
            y = (flat[faces[f, k], 1] - low[1]) / cell
            top, bottom = max(top, y), min(bottom, y)
        for row in range(min(int(bottom), deep - 1), min(int(top), deep - 1) + 1):
            least, most = np.inf, -np.inf
            for k in range(3):
                a, b = faces[f, k], faces[f, (k + 1) % 3]
                x0, y0 = (flat[a, 0] - low[0]) / cell, (flat[a, 1] - low[1]) / cell
                x1, y1 = (flat[b, 0] - low[0]) / cell, (flat[b, 1] - low[1]) / cell
                if max(y0, y1) < row or min(y0, y1) > row + 1:
                    continue
                for side in (y0, y1, float(row), row + 1.0):  # the edge cut to the row ends at two of these
                    if side < row or side > row + 1 or side < min(y0, y1) or side > max(y0, y1):
                        continue
                    x = x0 + (x1 - x0) * (side - y0) / (y1 - y0) if y1 != y0 else x0
                    least, most = min(least, x), max(most, x)
                    if y1 == y0:
                        least, most = min(least, x1), max(most, x1)
            if most >= least:
                for column in range(max(int(least), 0), min(int(most), across - 1) + 1):
                    covered[row, column] = True
    return 0
