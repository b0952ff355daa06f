"""What lies within a distance of picked faces, layer by layer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.patches import Corners
from even_step.core.plane import region
from even_step.core.plane.levels import below
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.work import Crew

OFF = 0.01  # mm, that the border may lie off: of a distance known on a grid, cells² / (8 · distance)
FINEST, COARSEST = 0.1, 1.0  # mm, cells


@dataclass(frozen=True, eq=False)
class Backing:
    """Picked faces, facets (n, 3, 3), and how far behind them it reaches, mm."""

    corners: Corners
    depth: float


def backing_outlines(backing: Backing, cuts: NDArray[np.float64], crew: Crew) -> tuple[Index, Regions]:
    """Return what lies within the depth of the faces at some heights, mm, (L,): which outline each has, and these."""
    from even_step.core.mesh.away import away_from  # noqa: PLC0415 - compiled, and the window knows of zones too

    corners, depth = backing.corners, backing.depth
    low, high = corners[:, :, 2].min() - depth, corners[:, :, 2].max() + depth
    layers = np.flatnonzero((cuts > low) & (cuts < high))
    which = np.zeros(len(cuts), np.int64)
    which[layers] = np.arange(1, len(layers) + 1)
    cell = float(np.clip(np.sqrt(8 * OFF * depth), FINEST, COARSEST))
    flat = corners[:, :, :2].reshape(-1, 2)
    most = depth + 2 * cell
    origin = np.floor((flat.min(axis=0) - most) / cell) * cell
    columns, rows = (np.ceil((flat.max(axis=0) + most - origin) / cell).astype(int) + 1).tolist()

    def outline(i: int) -> region.Geometry:
        away = away_from(corners, float(cuts[layers[i]]), origin, cell, (rows, columns), most)
        return below(away, origin, cell, depth)

    outlines = region.nothing(len(layers) + 1)
    outlines[1:] = crew.each(lambda i, _: outline(i), [(i, i + 1) for i in range(len(layers))])
    return which, outlines
