"""The upright plane at which the layers are cut: what lies before it is not drawn."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray

Place = tuple[float, float]


@dataclass(frozen=True)
class CutPlane:
    """A plane through ``at`` on the bed, mm; what lies ``way`` of it is taken away, degrees against the clock from +x.

    ``cleared`` is of one that was put to clear the way to a place, and goes when another place is looked at.
    """

    at: Place
    way: float
    cleared: bool = False

    @property
    def normal(self) -> Place:
        """The direction toward what is taken away, of length 1."""
        return cos(radians(self.way)), sin(radians(self.way))

    @property
    def reach(self) -> float:
        """How far the bed's zero lies behind the plane, mm."""
        return float(np.dot(self.normal, self.at))

    def takes(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Tell which points (n, 2 or more) are taken away, (n,)."""
        return np.asarray(points[:, :2] @ np.array(self.normal) > self.reach)

    def moved(self, by: float) -> CutPlane:
        """Return it so many mm further toward what it takes away."""
        x, y = self.normal
        return replace(self, at=(self.at[0] + by * x, self.at[1] + by * y), cleared=False)
