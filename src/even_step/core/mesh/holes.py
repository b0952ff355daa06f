"""Holes of a mesh: the loops of edges that lack a neighbour, closed with facets."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Faces, Mesh
from even_step.core.mesh.read.polygon import triangulate

MOST_CLIPPED = 20_000  # corners of a hole


def with_holes_closed(mesh: Mesh) -> tuple[Mesh, int]:
    """Close every hole of a mesh whose winding is consistent.

    Returns
    -------
    Mesh, int
        The mesh with facets over its holes and no new vertices, and how many holes there were.

    Notes
    -----
    Each loop is cut into triangles in the plane it mostly lies in; one of a great many corners is fanned out from its
    first, for cutting it well takes time with the square of them.
    """
    loops = sorted(hole_loops(mesh.faces), key=len)
    if not loops:
        return mesh, 0
    clipped = [loop for loop in loops if len(loop) <= MOST_CLIPPED]
    lids = [np.stack((np.full(len(loop) - 2, loop[0]), loop[1:-1], loop[2:]), axis=1) for loop in loops[len(clipped) :]]
    if clipped:
        starts = np.cumsum([0, *(len(loop) for loop in clipped)])
        lids.append(triangulate(mesh.vertices, np.concatenate(clipped), starts))
    return Mesh(mesh.vertices, np.concatenate((mesh.faces, *lids)).astype(np.int32)), len(loops)


def hole_loops(faces: Faces) -> list[NDArray[np.int64]]:
    """Return the loops round the holes, in the sense that facets over them have.

    The boundary of a set of facets is made of closed loops, for every facet enters each of its corners as often as
    it leaves it.
    """
    ways: dict[int, list[int]] = defaultdict(list)
    for start, end in _open_edges(faces).tolist():
        ways[end].append(start)
    loops = []
    for first in sorted(ways):
        while ways[first]:
            loops += _loops_from(first, ways)
    return [np.array(loop, np.int64) for loop in loops if len(loop) > 2]


def _loops_from(first: int, ways: dict[int, list[int]]) -> list[list[int]]:
    """Walk from a vertex until there is no way on; a vertex met again closes a loop."""
    path, loops = [first], []
    place = {first: 0}
    while ways[path[-1]]:
        at = ways[path[-1]].pop()
        if at not in place:
            place[at] = len(path)
            path.append(at)
            continue
        loops.append(path[place[at] :])
        for gone in path[place[at] + 1 :]:
            del place[gone]
        del path[place[at] + 1 :]
    return loops


def _open_edges(faces: Faces) -> NDArray[np.int64]:
    """Return the directed edges that facets leave without a partner of opposite sense, (E, 2)."""
    start = faces.ravel().astype(np.int64)
    end = np.roll(faces, -1, axis=1).ravel().astype(np.int64)
    low, high = np.minimum(start, end), np.maximum(start, end)
    ends, place = np.unique(np.stack((low, high), axis=1), axis=0, return_inverse=True)
    net = np.bincount(place.ravel(), weights=np.where(start < end, 1.0, -1.0), minlength=len(ends)).astype(np.int64)
    rows = np.repeat(np.arange(len(ends)), np.abs(net))
    forward = net[rows] > 0
    return np.where(forward[:, None], ends[rows], ends[rows][:, ::-1])
