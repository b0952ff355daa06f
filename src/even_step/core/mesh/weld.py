"""Loose corners become shared vertices."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Faces, Mesh
from even_step.core.work import ALONE, Crew

HALVED_FROM = 100_000  # facets; fewer are welded quicker at once
WELDED, FULL = -1, -2  # instead of a facet that is bad
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


def weld(corners: NDArray[np.float32], crew: Crew = ALONE) -> Welded | BadCorner:
    """Merge equal corners (exactly, as 32-bit numbers) and drop facets with a repeated corner.

    Parameters
    ----------
    corners : (F, 3, 3) float32
        Facet, corner, coordinate; may be a strided view into a file.
    crew
        Who does the work.

    Returns
    -------
    Welded or BadCorner
        Vertices are numbered in order of appearance. A coordinate that is not finite or lies beyond
        ``FARTHEST`` gives the falsy result.
    """
    count = len(corners)
    bits = corners.view(np.uint32)
    half = count // 2 if count >= HALVED_FROM else count
    pieces = [(0, half), (half, count)] if half < count else [(0, count)]
    done = crew.each(lambda a, b: _welded(bits[a:b], corners[a:b]), pieces)
    for (first, _), (*_, bad) in zip(pieces, done, strict=True):
        if bad >= 0:
            return BadCorner(first + int(bad))
    unique, faces, table, _ = done[0]
    for more, more_faces, _, _ in done[1:]:
        unique, faces = _joined(unique, faces, table, more, more_faces)
    return Welded(Mesh(unique.view(np.float32).astype(np.float64), faces), count - len(faces))


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


def _welded(
    bits: NDArray[np.uint32], corners: NDArray[np.float32]
) -> tuple[NDArray[np.uint32], Faces, NDArray[np.int32], int]:
    """Weld one piece: most meshes have half as many vertices as facets, loose facets six times as many."""
    size = 2 << max(12, len(bits).bit_length())
    while True:
        done: tuple[NDArray[np.uint32], Faces, NDArray[np.int32], int]
        done = _weld(bits, corners, np.zeros(size, np.int32), np.float32(FARTHEST))
        if done[-1] != FULL:
            return done
        size *= 4


@kernel
def _weld(bits, corners, table, farthest):  # type: ignore[no-untyped-def]
    """Open addressing in a table that is full when half of it is; −0 counts as 0.

    The table holds 4-byte vertex numbers beside the compact rows: the less memory is touched, the faster
    (3.9 million corners in a tenth of a second). Returns vertices, faces, the table, and the facet that is bad,
    ``WELDED`` or ``FULL``.
    """
    count = bits.shape[0]
    mask = table.shape[0] - 1
    unique = np.empty((count * 3, 3), np.uint32)
    faces = np.empty((count, 3), np.int32)
    zero = np.uint32(0)
    minus = np.uint32(0x80000000)
    vertices = 0
    kept = 0
    corner = np.empty(3, np.int32)
    for f in range(count):
        for c in range(3):
            for axis in range(3):
                if not abs(corners[f, c, axis]) <= farthest:
                    return unique[:0], faces[:0], table, f
            x = bits[f, c, 0]
            y = bits[f, c, 1]
            z = bits[f, c, 2]
            x = zero if x == minus else x
            y = zero if y == minus else y
            z = zero if z == minus else z
            slot = _hash(x, y, z) & mask
            at = table[slot]
            while at != 0 and (unique[at - 1, 0] != x or unique[at - 1, 1] != y or unique[at - 1, 2] != z):
                slot = (slot + 1) & mask
                at = table[slot]
            if at == 0:
                unique[vertices, 0] = x
                unique[vertices, 1] = y
                unique[vertices, 2] = z
                vertices += 1
                at = vertices
                table[slot] = at
                if 2 * vertices > table.shape[0]:
                    return unique[:0], faces[:0], table, FULL
            corner[c] = at - 1
        if corner[0] != corner[1] and corner[1] != corner[2] and corner[2] != corner[0]:
            faces[kept, 0] = corner[0]
            faces[kept, 1] = corner[1]
            faces[kept, 2] = corner[2]
            kept += 1
    return unique[:vertices].copy(), faces[:kept].copy(), table, WELDED


@kernel
def _hash(x, y, z):  # type: ignore[no-untyped-def]
    mixed = (
        (np.uint64(x) * np.uint64(0x9E3779B97F4A7C15))
        ^ (np.uint64(y) * np.uint64(0xD6E8FEB86659FD93))
        ^ (np.uint64(z) * np.uint64(0xA0761D6478BD642F))
    )
    mixed ^= mixed >> np.uint64(32)
    mixed *= np.uint64(0xE7037ED1A0B428DB)
    return np.int64(mixed >> np.uint64(28))


@kernel
def _joined(unique, faces, table, more, more_faces):  # type: ignore[no-untyped-def]
    """Add a piece welded by itself to one before it: what both have keeps the number it has there."""
    known, total, mask = unique.shape[0], unique.shape[0], table.shape[0] - 1
    number = np.empty(more.shape[0], np.int32)
    both = np.empty((known + more.shape[0], 3), np.uint32)
    both[:known] = unique
    for i in range(more.shape[0]):
        x, y, z = more[i, 0], more[i, 1], more[i, 2]
        slot = _hash(x, y, z) & mask
        at = table[slot]
        while at != 0 and (unique[at - 1, 0] != x or unique[at - 1, 1] != y or unique[at - 1, 2] != z):
            slot = (slot + 1) & mask
            at = table[slot]
        if at == 0:
            both[total, 0] = x
            both[total, 1] = y
            both[total, 2] = z
            total += 1
            at = total
        number[i] = at - 1
    out = np.empty((faces.shape[0] + more_faces.shape[0], 3), np.int32)
    out[: faces.shape[0]] = faces
    for f in range(more_faces.shape[0]):
        for c in range(3):
            out[faces.shape[0] + f, c] = number[more_faces[f, c]]
    return both[:total].copy(), out
