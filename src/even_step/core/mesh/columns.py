"""Facets sorted into square columns over the bed, so that an upright line has few to be tried against."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Faces, Vertices

MOST = 512  # columns on a side


class Columns(NamedTuple):
    """A grid over the bed: its corner and the size of a column (2,) mm, columns on a side, facets of each column."""

    origin: NDArray[np.float64]
    cell: NDArray[np.float64]
    side: int
    start: NDArray[np.int64]
    item: NDArray[np.int32]


def columns_of(vertices: Vertices, faces: Faces) -> Columns:
    """Sort facets into columns."""
    xyz = vertices[faces][:, :, :2]
    low, high = xyz.min(axis=1), xyz.max(axis=1)
    origin = low.min(axis=0)
    span = np.maximum(high.max(axis=0) - origin, 1e-9)
    side = int(np.clip(np.sqrt(len(faces)), 1, MOST))
    cell = span / side
    first = np.clip(((low - origin) / cell).astype(np.int64), 0, side - 1)
    last = np.clip(((high - origin) / cell).astype(np.int64), 0, side - 1)
    return Columns(origin, cell, side, *bucket(first, last, side))


@kernel
def bucket(first, last, side):  # type: ignore[no-untyped-def]
    """Sort facets into columns by the ranges of columns they lie over; returns where each column's begin, and them."""
    start = np.zeros(side * side + 1, np.int64)
    for f in range(first.shape[0]):
        for gy in range(first[f, 1], last[f, 1] + 1):
            for gx in range(first[f, 0], last[f, 0] + 1):
                start[gy * side + gx + 1] += 1
    for g in range(side * side):
        start[g + 1] += start[g]
    item = np.empty(start[side * side], np.int32)
    fill = start.copy()
    for f in range(first.shape[0]):
        for gy in range(first[f, 1], last[f, 1] + 1):
            for gx in range(first[f, 0], last[f, 0] + 1):
                g = gy * side + gx
                item[fill[g]] = f
                fill[g] += 1
    return start, item


@kernel
def lies_under(vertices, a, b, c, x, y):  # type: ignore[no-untyped-def]
    """Whether (x, y) lies under the triangle. Each edge is taken from its lower end, so neighbours agree."""
    odd = False
    for turn in range(3):
        p = a if turn == 0 else (b if turn == 1 else c)
        q = b if turn == 0 else (c if turn == 1 else a)
        if vertices[p, 1] > vertices[q, 1] or (vertices[p, 1] == vertices[q, 1] and p > q):
            p, q = q, p
        if vertices[p, 1] <= y < vertices[q, 1]:
            share = (y - vertices[p, 1]) / (vertices[q, 1] - vertices[p, 1])
            if x < vertices[p, 0] + (vertices[q, 0] - vertices[p, 0]) * share:
                odd = not odd
    return odd
