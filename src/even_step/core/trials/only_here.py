"""Which lines of a trial another trial does not have: by what is drawn of them, so that a window can ask."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

GRAIN = 500.0  # a millimetre: lines that differ by less than 2 µm are alike
WIDTHS = 100.0
ODD = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9, 0xD6E8FEB86659FD93], np.uint64)


def only_here(
    points: NDArray[np.float32], path: NDArray[np.int32], others: NDArray[np.float32], count: int
) -> NDArray[np.float32]:
    """Return which paths lay a piece that is not among others, (count,): 1 for those, else 0.

    Parameters
    ----------
    points, others : (n, 6) float32
        As in ``core.toolpath.lines``: x, y, z, width, height, role; a width of 0 or less begins no piece.
    path : (n,) int32
        Which path each of the points belongs to.

    Notes
    -----
    Pieces are alike that go between the same two points in either direction, with the same width and role.
    """
    own, begin = _pieces(points)
    known, _ = _pieces(others)
    lone = begin[~np.isin(own, known)]
    out = np.zeros(count, np.float32)
    out[path[lone]] = 1.0
    return out


def _pieces(points: NDArray[np.float32]) -> tuple[NDArray[np.uint64], NDArray[np.int64]]:
    """Return a number for each laid piece, alike for those that are alike, and the point it begins with."""
    begin = np.flatnonzero(points[:-1, 3] > 0)
    at = np.round(points[:, :3].astype(np.float64) * GRAIN).astype(np.int64).astype(np.uint64)
    mixed = _mixed(at @ ODD[:3])
    looks = np.round(points[begin, 3].astype(np.float64) * WIDTHS).astype(np.uint64)
    looks = _mixed(looks * np.uint64(64) + points[begin, 5].astype(np.uint64))
    # The sum does not know which end came first.
    return _mixed(mixed[begin] + mixed[begin + 1] + looks), begin


def _mixed(numbers: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Spread numbers over all bits (the finalizer of splitmix64; Steele, Lea and Flood 2014)."""
    out = (numbers ^ (numbers >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    out = (out ^ (out >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return np.asarray(out ^ (out >> np.uint64(31)))
