"""A small picture of a mesh as it stands, shaded, with what hangs past the limit marked."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.measure import facet_normal, limit_toward
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.turning import turn_matrix

VIEW = turn_matrix((-62.0, 0.0, 0.0)) @ turn_matrix((0.0, 0.0, 35.0))  # from the front, a little from above
MARGIN = 0.06  # of the picture
NOTHING, BODY, HANGS = 0, 1, 2


def portrait(
    mesh: Mesh, limits: tuple[float, float, float, float], width: int, height: int, scale: float = 0.0
) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    """Draw a posed mesh.

    Parameters
    ----------
    mesh
        Standing on z = 0, mm.
    limits
        Degrees from the vertical toward +x, +y, −x, −y past which a facet hangs.
    width, height
        Of the picture, points.
    scale
        Points per mm; 0 as large as fits.

    Returns
    -------
    (height, width) float32, (height, width) uint8
        How much light each point gets, 0 to 1; and whether it shows nothing, the part, or what hangs.
    """
    seen = mesh.vertices @ VIEW.T
    low, high = seen.min(axis=0), seen.max(axis=0)
    fits = (1 - 2 * MARGIN) * min(width / max(high[0] - low[0], 1e-9), height / max(high[1] - low[1], 1e-9))
    by = scale if 0 < scale < fits else fits
    seen = (seen - (low + high) / 2) * (by, -by, by) + (width / 2, height / 2, 0.0)
    light, shown = np.zeros((height, width), np.float32), np.zeros((height, width), np.uint8)
    _draw(seen, mesh.vertices, mesh.faces, np.array(limits), light, shown)
    return light, shown


@kernel
def _draw(seen, vertices, faces, limits, light, shown):  # type: ignore[no-untyped-def]
    """Draw facets, the nearest wins; seen from +z of the view."""
    height, width = light.shape
    near = np.full((height, width), -np.inf)
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        nx, ny, nz = facet_normal(vertices, a, b, c)
        long = math.sqrt(nx * nx + ny * ny + nz * nz)
        if long <= 0.0:
            continue
        nx, ny, nz = nx / long, ny / long, nz / long
        bright = 0.55 + 0.3 * nz + 0.15 * (0.6 * nx - 0.8 * ny)
        top = max(vertices[a, 2], vertices[b, 2], vertices[c, 2])
        kind = 1
        if nz < 0.0 and top > 0.05:
            angle = math.degrees(math.asin(min(1.0, -nz)))
            if angle > limit_toward(limits, math.degrees(math.atan2(ny, nx))):
                kind = 2
        x0, y0, x1, y1, x2, y2 = seen[a, 0], seen[a, 1], seen[b, 0], seen[b, 1], seen[c, 0], seen[c, 1]
        area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if area == 0.0:
            continue
        for row in range(max(int(min(y0, y1, y2)), 0), min(int(max(y0, y1, y2)) + 1, height)):
            for column in range(max(int(min(x0, x1, x2)), 0), min(int(max(x0, x1, x2)) + 1, width)):
                x, y = column + 0.5, row + 0.5
                u = ((x - x0) * (y2 - y0) - (x2 - x0) * (y - y0)) / area
                v = ((x1 - x0) * (y - y0) - (x - x0) * (y1 - y0)) / area
                if u < 0.0 or v < 0.0 or u + v > 1.0:
                    continue
                depth = seen[a, 2] + u * (seen[b, 2] - seen[a, 2]) + v * (seen[c, 2] - seen[a, 2])
                if depth > near[row, column]:
                    near[row, column] = depth
                    light[row, column] = min(1.0, max(0.0, bright))
                    shown[row, column] = kind
    return 0
