"""How much of each cell of a grid over a mesh lies within it: what a picture of the mesh's inside needs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh

FINER = 2  # columns a cell along x, and along y
ASIDE = 0.00137, 0.00071  # of a column, so that none runs along an edge


def filled(mesh: Mesh, count: int) -> NDArray[np.uint8]:
    """Return how much of each cell lies within a closed mesh, (count, count, count) along z, y, x, 0 to 255.

    The grid reaches over the mesh's bounds. Where facets cross a column the inside begins or ends (the winding number
    along a ray, with each cell's exact share along z).
    """
    low, high = mesh.bounds
    scale = count / np.maximum(high - low, 1e-9)
    corners = (mesh.vertices - low) * scale * (FINER, FINER, 1)
    steps = _crossings(corners[mesh.faces], count * FINER, count)
    within = np.cumsum(steps[::-1], axis=0)[::-1]
    cells = within.reshape(count, count, FINER, count, FINER).mean(axis=(2, 4))
    return np.asarray(np.round(255 * np.clip(cells, 0, 1)), np.uint8)


@kernel
def _crossings(corners, columns, count):  # type: ignore[no-untyped-def]
    """Return how the share within a cell differs from that of the cell over it, (count, columns, columns)."""
    out = np.zeros((count, columns, columns), np.float32)
    for f in range(corners.shape[0]):
        ax, ay, az = corners[f, 0]
        bx, by, bz = corners[f, 1]
        cx, cy, cz = corners[f, 2]
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if area == 0.0:
            continue
        first_x = max(0, int(np.ceil(min(ax, bx, cx) - 0.5 - ASIDE[0])))
        last_x = min(columns - 1, int(np.floor(max(ax, bx, cx) - 0.5 - ASIDE[0])))
        first_y = max(0, int(np.ceil(min(ay, by, cy) - 0.5 - ASIDE[1])))
        last_y = min(columns - 1, int(np.floor(max(ay, by, cy) - 0.5 - ASIDE[1])))
        way = np.float32(1.0 if area > 0.0 else -1.0)
        for j in range(first_y, last_y + 1):
            for i in range(first_x, last_x + 1):
                x, y = i + 0.5 + ASIDE[0], j + 0.5 + ASIDE[1]
                u = ((bx - x) * (cy - y) - (by - y) * (cx - x)) / area
                v = ((cx - x) * (ay - y) - (cy - y) * (ax - x)) / area
                if u < 0.0 or v < 0.0 or u + v > 1.0:
                    continue
                z = min(max(u * az + v * bz + (1.0 - u - v) * cz, 0.0), float(count))
                cell = min(int(z), count - 1)
                share = np.float32(z - cell)
                out[cell, j, i] += way * share
                if cell > 0:
                    out[cell - 1, j, i] += way * (np.float32(1.0) - share)
    return out
