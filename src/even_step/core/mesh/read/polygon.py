"""Polygons of OBJ and PLY files become triangles, concave ones too."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel


def triangulate(
    vertices: NDArray[np.float64], corners: NDArray[np.int64], starts: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Cut polygons into triangles by clipping ears in the plane they mostly lie in.

    Parameters
    ----------
    vertices : (V, 3) float64
    corners : (N,) int64
        Vertex numbers of all polygons, each within ``0..V``.
    starts : (P + 1,) int64
        Where each polygon begins in ``corners``; polygons have three corners or more.

    Returns
    -------
    (N − 2P, 3) int64
        Triangles with the sense of their polygon. A polygon that crosses itself is cut as well as it can
        be, without failing. Quadratic in a polygon's corners.
    """
    size = np.diff(starts)
    if (size == 3).all():
        return corners.reshape(-1, 3)
    out = np.empty((int((size - 2).sum()), 3), np.int64)
    _clip(vertices, corners, starts, int(size.max()), out)
    return out


@kernel
def _cross(flat, a, b, c):  # type: ignore[no-untyped-def]
    return (flat[b, 0] - flat[a, 0]) * (flat[c, 1] - flat[a, 1]) - (flat[b, 1] - flat[a, 1]) * (flat[c, 0] - flat[a, 0])


@kernel
def _is_ear(flat, left, count, i):  # type: ignore[no-untyped-def]
    a, b, c = left[(i - 1) % count], left[i], left[(i + 1) % count]
    if _cross(flat, a, b, c) <= 0.0:
        return False
    for k in range(count):
        p = left[k]
        if p == a or p == b or p == c:
            continue
        if _cross(flat, a, b, p) >= 0.0 and _cross(flat, b, c, p) >= 0.0 and _cross(flat, c, a, p) >= 0.0:
            return False
    return True


@kernel
def _clip(vertices, corners, starts, most, out):  # type: ignore[no-untyped-def]
    flat = np.empty((most, 2))
    left = np.empty(most, np.int64)
    w = 0
    for p in range(starts.shape[0] - 1):
        first = starts[p]
        count = starts[p + 1] - first
        # Newell's normal, then the plane of its largest component keeps the sense of the polygon.
        nx = ny = nz = 0.0
        for i in range(count):
            a = corners[first + i]
            b = corners[first + (i + 1) % count]
            nx += (vertices[a, 1] - vertices[b, 1]) * (vertices[a, 2] + vertices[b, 2])
            ny += (vertices[a, 2] - vertices[b, 2]) * (vertices[a, 0] + vertices[b, 0])
            nz += (vertices[a, 0] - vertices[b, 0]) * (vertices[a, 1] + vertices[b, 1])
        u, v, sign = 0, 1, nz
        if abs(nx) >= abs(ny) and abs(nx) >= abs(nz):
            u, v, sign = 1, 2, nx
        elif abs(ny) >= abs(nz):
            u, v, sign = 2, 0, ny
        for i in range(count):
            a = corners[first + i]
            flat[i, 0] = vertices[a, u]
            flat[i, 1] = vertices[a, v] if sign >= 0.0 else -vertices[a, v]
            left[i] = i
        # Mirrored for a negative sense, the polygon runs left about, and so do its ears.
        while count > 3:
            ear = 0
            for i in range(count):
                if _is_ear(flat, left, count, i):
                    ear = i
                    break
            out[w, 0] = corners[first + left[(ear - 1) % count]]
            out[w, 1] = corners[first + left[ear]]
            out[w, 2] = corners[first + left[(ear + 1) % count]]
            w += 1
            for i in range(ear, count - 1):
                left[i] = left[i + 1]
            count -= 1
        for i in range(3):
            out[w, i] = corners[first + left[i]]
        w += 1
