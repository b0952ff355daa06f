"""What lies within a distance of picked faces, layer by layer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.patches import Corners, nearest_spots
from even_step.core.plane import region
from even_step.core.plane.levels import below
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.work import Crew

OFF = 0.01  # mm, that the border may lie off: of a distance known on a grid, cells² / (8 · distance)
FINEST, COARSEST = 0.1, 1.0  # mm, cells
BLOCK = 6  # nodes


@dataclass(frozen=True, eq=False)
class Backing:
    """Picked faces, facets (n, 3, 3), and how far behind them it reaches, mm."""

    corners: Corners
    depth: float


def backing_outlines(backing: Backing, cuts: NDArray[np.float64], crew: Crew) -> tuple[Index, Regions]:
    """Return what lies within the depth of the faces at some heights, mm, (L,): which outline each has, and these."""
    low, high = backing.corners[:, :, 2].min() - backing.depth, backing.corners[:, :, 2].max() + backing.depth
    layers = np.flatnonzero((cuts > low) & (cuts < high))
    which = np.zeros(len(cuts), np.int64)
    which[layers] = np.arange(1, len(layers) + 1)
    near = _Near(backing)
    done = crew.each(lambda i, _: near.outline(float(cuts[layers[i]])), [(i, i + 1) for i in range(len(layers))])
    outlines = region.nothing(len(layers) + 1)
    outlines[1:] = done
    return which, outlines


class _Near:
    """How far it is to the nearest spot of some faces."""

    def __init__(self, backing: Backing) -> None:
        from scipy.spatial import KDTree  # noqa: PLC0415 - loads in 0.2 s, and few jobs need it

        self._corners, self._depth = backing.corners, backing.depth
        # Of the facet of the nearest spot the distance is exact: it is off by no more than of one so far aside.
        self._apart = float(np.sqrt(4 * OFF * backing.depth))
        spots, self._facet = _sampled(backing.corners, self._apart)
        self._tree = KDTree(spots)
        self._cell = float(np.clip(np.sqrt(8 * OFF * backing.depth), FINEST, COARSEST))
        flat = backing.corners[:, :, :2].reshape(-1, 2)
        pad = backing.depth + 2 * self._cell
        self._low = np.floor((flat.min(axis=0) - pad) / self._cell) * self._cell
        self._shape = np.ceil((flat.max(axis=0) + pad - self._low) / self._cell).astype(np.int64) + 1

    def outline(self, z: float) -> region.Geometry:
        """Return what lies within the depth at a height, mm.

        Looked for closely only where blocks of nodes may hold the border.
        """
        columns, rows = (int(-(-size // BLOCK)) for size in self._shape)
        x, y = (self._low[i] + self._cell * BLOCK * np.arange(count + 1) for i, count in ((0, columns), (1, rows)))
        wide = BLOCK * self._cell * np.sqrt(2.0) + self._apart
        corners = self._away(np.stack(np.meshgrid(x, y), axis=-1), z, wide)
        blocks = np.stack((corners[:-1, :-1], corners[1:, :-1], corners[:-1, 1:], corners[1:, 1:]))
        close = (blocks.min(axis=0) < self._depth + wide) & (blocks.max(axis=0) > self._depth - wide)
        field = np.repeat(np.repeat(corners[:-1, :-1], BLOCK, axis=0), BLOCK, axis=1)
        j, i = np.nonzero(np.repeat(np.repeat(close, BLOCK, axis=0), BLOCK, axis=1))
        field[j, i] = self._away(self._low + self._cell * np.stack((i, j), axis=1), z, 2 * self._cell + self._apart)
        return below(field, self._low, self._cell, self._depth)

    def _away(self, places: NDArray[np.float64], z: float, past: float) -> NDArray[np.float64]:
        """Return how far it is from places (..., 2) at a height to the faces, and no more than ``past`` over the depth.

        Not to look further matters most in the middle of a bore, which is as far from all of it.
        """
        nodes = np.concatenate((places.reshape(-1, 2), np.full((places.size // 2, 1), z)), axis=1)
        most = self._depth + past
        away, at = self._tree.query(nodes, distance_upper_bound=most)
        away = np.minimum(away, most)
        close = np.flatnonzero(np.abs(away - self._depth) < 2 * self._cell + self._apart)
        close = close[at[close] < len(self._facet)]
        spots = nearest_spots(self._corners[self._facet[at[close]]], nodes[close])
        away[close] = np.linalg.norm(spots - nodes[close], axis=1)
        return np.asarray(away.reshape(places.shape[:-1]))


def _sampled(corners: Corners, apart: float) -> tuple[NDArray[np.float64], Index]:
    """Return spots all over some facets, no further apart along an edge than so many mm, and the facet of each."""
    edge = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
    turn = (edge.argmin(axis=1)[:, None] + np.arange(3)) % 3  # the shortest edge first, for slim facets need few spots
    corners = np.take_along_axis(corners, turn[:, :, None], axis=1)
    steps = np.maximum(np.ceil(np.stack((edge.min(axis=1), edge.max(axis=1)), axis=1) / apart), 1).astype(np.int64)
    spots, owner = [], []
    for m, n in np.unique(steps, axis=0).tolist():
        some = np.flatnonzero((steps == (m, n)).all(axis=1))
        i, j = (one.ravel() for one in np.meshgrid(np.arange(m + 1) / m, np.arange(n + 1) / n))
        i, j = i[i + j <= 1.0], j[i + j <= 1.0]
        share = np.stack((1.0 - i - j, i, j), axis=1)
        spots.append(np.einsum("sk,fkd->fsd", share, corners[some]).reshape(-1, 3))
        owner.append(np.repeat(some, len(share)))
    return np.concatenate(spots), np.concatenate(owner)
