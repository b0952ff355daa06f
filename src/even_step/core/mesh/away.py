"""How far it is from places at one height to the nearest of some facets."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.patches import Corners

SLIVER = 1e-9  # of the square of an edge: twice the area of a facet that is a line


def away_from(
    corners: Corners, z: float, origin: NDArray[np.float64], cell: float, shape: tuple[int, int], most: float
) -> NDArray[np.float64]:
    """Return how far it is from the nodes of a grid to facets, mm, and ``most`` where it is more, (rows, columns).

    Parameters
    ----------
    corners : (n, 3, 3) float64
        Of the facets, mm.
    z
        Height of the grid, mm.
    origin : (2,) float64
        Where its first node lies, mm.
    cell
        From node to node, mm.
    shape
        Rows along y, columns along x.
    """
    return np.asarray(np.sqrt(_squared(np.ascontiguousarray(corners), z, origin, cell, shape, most)))


@kernel
def _squared(corners, z, origin, cell, shape, most):  # type: ignore[no-untyped-def]
    """Let each facet lower what is known of the nodes it may be nearest to."""
    rows, columns = shape
    field = np.full((rows, columns), most * most)
    place = np.empty(3)
    place[2] = z
    for k in range(corners.shape[0]):
        one = corners[k]
        gap = max(one[:, 2].min() - z, z - one[:, 2].max(), 0.0)
        if gap >= most:
            continue
        reach = np.sqrt(most * most - gap * gap)
        ab, ac = one[1] - one[0], one[2] - one[0]
        normal = np.cross(ab, ac)
        size = np.sqrt((normal * normal).sum())
        # Of a sliver the plane is not known; its edges are all there is of it.
        normal /= size if size > SLIVER * max((ab * ab).sum(), (ac * ac).sum()) else np.inf
        i0 = max(int(np.ceil((one[:, 0].min() - reach - origin[0]) / cell)), 0)
        i1 = min(int(np.floor((one[:, 0].max() + reach - origin[0]) / cell)), columns - 1)
        j0 = max(int(np.ceil((one[:, 1].min() - reach - origin[1]) / cell)), 0)
        j1 = min(int(np.floor((one[:, 1].max() + reach - origin[1]) / cell)), rows - 1)
        for j in range(j0, j1 + 1):
            place[1] = origin[1] + j * cell
            for i in range(i0, i1 + 1):
                place[0] = origin[0] + i * cell
                over = 0.0
                for c in range(3):
                    over += normal[c] * (place[c] - one[0, c])
                if over * over < field[j, i]:
                    field[j, i] = min(field[j, i], _to_facet(one, normal, over, place))
    return field


@kernel
def _to_facet(one, normal, over, place):  # type: ignore[no-untyped-def]
    """Tell how far a place is from a facet, squared: from its plane if it lies over the facet, else from an edge."""
    inside = normal[0] != 0.0 or normal[1] != 0.0 or normal[2] != 0.0
    least = np.inf
    for k in range(3):
        a, b = one[k], one[(k + 1) % 3]
        x, y, z = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        u, v, w = place[0] - a[0], place[1] - a[1], place[2] - a[2]
        side = normal[0] * (y * w - z * v) + normal[1] * (z * u - x * w) + normal[2] * (x * v - y * u)
        inside = inside and side >= 0.0
        long = x * x + y * y + z * z
        t = min(max((x * u + y * v + z * w) / long, 0.0), 1.0) if long > 0.0 else 0.0
        least = min(least, (u - t * x) ** 2 + (v - t * y) ** 2 + (w - t * z) ** 2)
    return over * over if inside else least
