"""Facets that lie in another body, seen by trying points right outside of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.columns import columns_of, lies_under
from even_step.core.mesh.measure import facet_normal
from even_step.core.mesh.mesh import Mesh

FINE = 0.5  # mm between the points tried
MOST = 24  # points along a facet's side
OUTSIDE = 0.004  # mm off the facet


def bare_share(mesh: Mesh, facets: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return which share of each facet has no material right outside of it, (n,).

    Parameters
    ----------
    mesh
        Of several bodies, winding consistent.
    facets : (n,) int64
        Numbers of the facets in question.

    Notes
    -----
    A point is inside where an upward line from it leaves bodies more often than it enters them (non-zero winding). The
    share is exact to about ``FINE`` mm of a border.
    """
    return np.asarray(_bare(mesh.vertices, mesh.faces, facets, *columns_of(mesh.vertices, mesh.faces)))


@kernel
def _bare(vertices, faces, facets, origin, cell, side, start, item):  # type: ignore[no-untyped-def]
    out = np.ones(facets.shape[0])
    for k in range(facets.shape[0]):
        a, b, c = faces[facets[k], 0], faces[facets[k], 1], faces[facets[k], 2]
        nx, ny, nz = facet_normal(vertices, a, b, c)
        size = np.sqrt(nx * nx + ny * ny + nz * nz)
        if size == 0.0:
            continue
        longest = 0.0
        for turn in range(3):
            p = a if turn == 0 else (b if turn == 1 else c)
            q = b if turn == 0 else (c if turn == 1 else a)
            square = 0.0
            for axis in range(3):
                square += (vertices[q, axis] - vertices[p, axis]) ** 2
            longest = max(longest, np.sqrt(square))
        n = max(2, min(MOST, int(longest / FINE) + 1))
        bare = 0
        for i in range(n):
            for j in range(2 * (n - i) - 1):
                # The middles of the n² equal triangles a facet is cut into, two kinds in a row.
                up = j % 2
                u = (i + (1.0 + up) / 3.0) / n
                v = (j // 2 + (1.0 + up) / 3.0) / n
                x = vertices[a, 0] + u * (vertices[b, 0] - vertices[a, 0]) + v * (vertices[c, 0] - vertices[a, 0])
                y = vertices[a, 1] + u * (vertices[b, 1] - vertices[a, 1]) + v * (vertices[c, 1] - vertices[a, 1])
                z = vertices[a, 2] + u * (vertices[b, 2] - vertices[a, 2]) + v * (vertices[c, 2] - vertices[a, 2])
                x, y, z = x + nx / size * OUTSIDE, y + ny / size * OUTSIDE, z + nz / size * OUTSIDE
                if _winding(vertices, faces, origin, cell, side, start, item, x, y, z) <= 0:
                    bare += 1
        out[k] = bare / (n * n)
    return out


@kernel
def _winding(vertices, faces, origin, cell, side, start, item, x, y, z):  # type: ignore[no-untyped-def]
    """Count how much more often a line upward from a point leaves bodies than it enters them."""
    total = 0
    gx, gy = int((x - origin[0]) / cell[0]), int((y - origin[1]) / cell[1])
    if gx < 0 or gx >= side or gy < 0 or gy >= side:
        return 0
    for k in range(start[gy * side + gx], start[gy * side + gx + 1]):
        a, b, c = faces[item[k], 0], faces[item[k], 1], faces[item[k], 2]
        if not lies_under(vertices, a, b, c, x, y):
            continue
        nx, ny, nz = facet_normal(vertices, a, b, c)
        if nz == 0.0:
            continue
        if vertices[a, 2] - (nx * (x - vertices[a, 0]) + ny * (y - vertices[a, 1])) / nz > z:
            total += 1 if nz > 0.0 else -1
    return total
