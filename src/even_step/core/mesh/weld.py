"""Loose corners become shared vertices."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh

FARTHEST = 1e6  # mm; a kilometre away is no printable part, it is a damaged file


class Welded(NamedTuple):
    """A mesh and what had to be left out of it."""

    mesh: Mesh
    degenerate: int


class BadCorner(NamedTuple):
    """Why corners cannot be welded: the facet with a number that is none, or is absurdly large."""

    facet: int

    def __bool__(self) -> bool:
        """It is no success."""
        return False


def weld(corners: NDArray[np.float32]) -> Welded | BadCorner:
    """Merge equal corners (exactly, as 32-bit numbers) and drop facets with a repeated corner.

    Parameters
    ----------
    corners : (F, 3, 3) float32
        Facet, corner, coordinate; may be a strided view into a file.

    Returns
    -------
    Welded or BadCorner
        Vertices are numbered in order of appearance. A coordinate that is not finite or lies beyond
        ``FARTHEST`` gives the falsy result.
    """
    count = len(corners)
    bits = corners.view(np.uint32)
    unique = np.empty((count * 3, 3), np.uint32)
    faces = np.empty((count, 3), np.int32)
    vertices, kept, bad = _weld(bits, corners, unique, faces, np.float32(FARTHEST))
    if bad >= 0:
        return BadCorner(int(bad))
    xyz = unique[:vertices].view(np.float32).astype(np.float64)
    return Welded(Mesh(xyz, faces[:kept].copy() if kept < count else faces), int(count - kept))


def weld_indexed(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> Welded | BadCorner:
    """Weld a mesh that is indexed already; vertices are rounded to 32-bit numbers first.

    Parameters
    ----------
    vertices : (V, 3) float64
    faces : (F, 3) int64
        Each within ``0..V``.
    """
    with np.errstate(over="ignore"):
        return weld(np.ascontiguousarray(vertices.astype(np.float32)[faces]))


@kernel
def _weld(bits, corners, unique, faces, farthest):  # type: ignore[no-untyped-def]
    """Open addressing with the table grown to twice what is in it; −0 counts as 0.

    The table holds 4-byte vertex numbers beside the compact rows: the less memory is touched, the faster
    (3.9 million corners in a tenth of a second).
    """
    count = bits.shape[0]
    log = 12
    while (1 << log) < count * 2:
        log += 1
    mask = (1 << log) - 1
    table = np.zeros(1 << log, np.int32)
    zero = np.uint32(0)
    minus = np.uint32(0x80000000)
    vertices = 0
    kept = 0
    corner = np.empty(3, np.int32)
    for f in range(count):
        for c in range(3):
            for axis in range(3):
                if not abs(corners[f, c, axis]) <= farthest:
                    return vertices, kept, f
            x = bits[f, c, 0]
            y = bits[f, c, 1]
            z = bits[f, c, 2]
            x = zero if x == minus else x
            y = zero if y == minus else y
            z = zero if z == minus else z
            mixed = (
                (np.uint64(x) * np.uint64(0x9E3779B97F4A7C15))
                ^ (np.uint64(y) * np.uint64(0xD6E8FEB86659FD93))
                ^ (np.uint64(z) * np.uint64(0xA0761D6478BD642F))
            )
            mixed ^= mixed >> np.uint64(32)
            mixed *= np.uint64(0xE7037ED1A0B428DB)
            slot = np.int64(mixed >> np.uint64(20)) & mask
            while True:
                at = table[slot]
                if at == 0:
                    unique[vertices, 0] = x
                    unique[vertices, 1] = y
                    unique[vertices, 2] = z
                    corner[c] = vertices
                    vertices += 1
                    table[slot] = vertices
                    break
                if unique[at - 1, 0] == x and unique[at - 1, 1] == y and unique[at - 1, 2] == z:
                    corner[c] = at - 1
                    break
                slot = (slot + 1) & mask
        if corner[0] != corner[1] and corner[1] != corner[2] and corner[2] != corner[0]:
            faces[kept, 0] = corner[0]
            faces[kept, 1] = corner[1]
            faces[kept, 2] = corner[2]
            kept += 1
    return vertices, kept, -1
