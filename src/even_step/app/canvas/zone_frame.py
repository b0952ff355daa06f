"""How the frame of a part, in which its zones are told, lies on the bed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import MM_PER, Part
from even_step.core.job.zones import LEAST_SIZE, Zone
from even_step.core.mesh.turning import turn_matrix, turn_of

Vector = NDArray[np.float64]
Figures = dict[str, tuple[float, float, float]]
GRAIN = 3  # decimals of a figure that a hand made,
DRAWN = 2  # and of a box that one drew


class ZoneFrame:
    """The frame of a copy's part."""

    def __init__(self, part: Part, matrix: Vector) -> None:
        self.matrix = matrix[:3, :3] / MM_PER[part.unit]
        self.shift = matrix[:3, 3]

    def told(self, places: Vector) -> Vector:
        """Return places (..., 3) on the bed in the part's frame, mm."""
        return np.asarray((places - self.shift) @ np.linalg.inv(self.matrix).T)

    def seen(self, places: Vector) -> Vector:
        """Return places (..., 3) of the part's frame on the bed, mm."""
        return np.asarray(places @ self.matrix.T + self.shift)

    def box(self, low: Vector, high: Vector) -> Figures:
        """Return middle, size and turn of a box whose sides lie along the bed's axes.

        Of a part that is stretched unevenly and turned, of the box that is nearest to it.
        """
        edges = np.linalg.inv(self.matrix) * (high - low)  # its columns
        size = np.linalg.norm(edges, axis=0)
        u, _, v = np.linalg.svd(edges / np.maximum(size, 1e-12))
        turn = u @ v
        if np.linalg.det(turn) < 0:
            turn[:, 0] *= -1
        return {
            "middle": figures(np.round(self.told((low + high) / 2), DRAWN)),
            "size": figures(np.maximum(np.round(size, DRAWN), LEAST_SIZE)),
            "turn": figures(np.array(turn_of(turn))),
        }

    def unit_frame(self, zone: Zone, tall: float) -> Vector:
        """Return the matrix (4, 4) by which a placed zone comes of a shape of size 1 about the origin.

        A mesh without a size comes of its file's numbers as mm.
        ``tall`` is how high the part stands, mm: what snaps to its ends moves there.
        """
        size = np.ones(3) if zone.size is None else np.array(zone.size)
        out = np.eye(4)
        out[:3, :3] = self.matrix @ turn_matrix(zone.turn) * size
        out[:3, 3] = self.seen(np.array(zone.middle))
        half = _half_height(zone.shape, out[2, :3])
        lift = {"first": half - out[2, 3], "last": tall - half - out[2, 3]}.get(zone.snap, 0.0)
        out[2, 3] += lift
        return out

    def axes(self, zone: Zone) -> Vector:
        """Return the zone's own axes on the bed, as columns; each as long as a millimetre of the part's frame is."""
        return self.matrix @ turn_matrix(zone.turn)


def _half_height(shape: str, row: Vector) -> float:
    """Return how far a shape of size 1 reaches upward when its frame's height is a row of the matrix."""
    x, y, z = (abs(float(one)) for one in row)
    if shape == "ball":
        return float(np.linalg.norm(row)) / 2
    return (float(np.hypot(x, y)) + z) / 2 if shape == "cylinder" else (x + y + z) / 2


def figures(values: Vector) -> tuple[float, float, float]:
    """Return three figures as a hand gives them."""
    x, y, z = (round(float(value), GRAIN) + 0.0 for value in values)
    return x, y, z
