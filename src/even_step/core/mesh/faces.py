"""Flat faces of a mesh: the facets that belong together round one, also where the face is slightly bent."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh

FLAT = 0.2  # degrees that facets of a truly flat face lean against each other at the most
BENT = 4.0  # degrees that those of a slightly bent one lean against the facet that was picked
MOSTLY = 0.5  # of a face: so much of it truly flat decides alone how the face lies


def neighbours(mesh: Mesh) -> NDArray[np.int32]:
    """Return the facet beyond each edge of each facet, (F, 3); −1 where there is none or more than one.

    Edge k runs from corner k to the next.
    """
    faces = mesh.faces.astype(np.int64)
    ends = np.stack((faces, np.roll(faces, -1, axis=1)), axis=2).reshape(-1, 2)
    ends.sort(axis=1)
    key = ends[:, 0] * (int(faces.max(initial=0)) + 1) + ends[:, 1]
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.diff(key[order], prepend=-1))
    count = np.diff(first, append=len(key))
    pairs = first[count == 2]
    one, other = order[pairs], order[pairs + 1]
    out = np.full(len(key), -1, np.int32)
    out[one], out[other] = other // 3, one // 3
    return out.reshape(-1, 3)


def flat_face(mesh: Mesh, beyond: NDArray[np.int32], facet: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Return the face that a facet belongs to.

    Parameters
    ----------
    mesh
        Any mesh.
    beyond : (F, 3) int32
        Its ``neighbours``.
    facet
        The one that was picked.

    Returns
    -------
    (n,) int64, (3,) float64
        The facets of the face, and its outward normal of length 1: that of what is truly flat if that is most of it,
        else the mean.
    """
    corners = mesh.vertices[mesh.faces]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    lengths = np.linalg.norm(normals, axis=1)
    unit = normals / np.maximum(lengths, 1e-12)[:, None]
    flat, bent = (np.flatnonzero(_grown(unit, beyond, facet, math.cos(math.radians(a)))) for a in (FLAT, BENT))
    chosen = flat if lengths[flat].sum() >= MOSTLY * lengths[bent].sum() else bent
    mean = normals[chosen].sum(axis=0)
    return bent, np.asarray(mean / max(float(np.linalg.norm(mean)), 1e-12))


@kernel
def _grown(unit, beyond, facet, least):  # type: ignore[no-untyped-def]
    """Mark the facets that join the first one without leaning more against it than allowed."""
    marked = np.zeros(unit.shape[0], np.bool_)
    stack = np.empty(unit.shape[0], np.int64)
    stack[0] = facet
    marked[facet] = True
    size = 1
    while size > 0:
        size -= 1
        at = stack[size]
        for k in range(3):
            other = beyond[at, k]
            if other < 0 or marked[other]:
                continue
            cos = unit[other, 0] * unit[facet, 0] + unit[other, 1] * unit[facet, 1] + unit[other, 2] * unit[facet, 2]
            if cos >= least:
                marked[other] = True
                stack[size] = other
                size += 1
    return marked
