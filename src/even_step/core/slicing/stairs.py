"""How rough slopes come out: the stairs that layers leave on them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.surface import FLAT, Facets

BANDS = (0.05, 0.1, 0.2)  # mm: stairs up to these are told apart,
SEEN = 0.1  # and larger ones are seen from a step away
EXACT = 1e-6  # mm


class Stairs(NamedTuple):
    """The stairs on all slopes together: mean by area, and largest, mm; 0 where there is no slope.

    ``areas`` is how much of the slopes, mm², has stairs up to each of ``BANDS`` and more than that of the one before;
    last comes what has larger ones.
    """

    mean: float
    largest: float
    areas: tuple[float, ...]

    @property
    def rough(self) -> float:
        """How much of the slopes has stairs that are seen, mm²."""
        return sum(self.areas[BANDS.index(SEEN) + 1 :])


def stairs_of(facets: Facets, heights: Heights) -> Stairs:
    """Return the stairs that layers leave on facets: ``h·|n_z|`` square to each (Dolenc and Mäkelä 1994).

    Flats and upright walls have none. Of a facet that several layers cut each has what lies at its height.
    """
    return _stairs(facets, heights.tops, heights.thick)


def even_stairs(facets: Facets, thick: float) -> Stairs:
    """Return the stairs that layers would leave which are all so thick, mm."""
    count = int(np.ceil(facets.high.max(initial=0.0) / thick)) + 1
    return _stairs(facets, np.cumsum(np.full(count, thick)), np.full(count, thick))


def _stairs(facets: Facets, tops: NDArray[np.float64], thick: NDArray[np.float64]) -> Stairs:
    some = (facets.rise < FLAT) & (facets.rise > 1e-6) & (facets.high > facets.low)
    if not some.any():
        return Stairs(0.0, 0.0, (0.0,) * (len(BANDS) + 1))
    corners = np.stack((facets.low[some], facets.middle[some], facets.high[some]), axis=1)
    summed, largest, areas = _along(corners, facets.rise[some], facets.area[some], tops, thick, np.array(BANDS))
    return Stairs(float(summed / areas.sum()), float(largest), tuple(areas.tolist()))


@kernel
def _along(corners, rise, area, tops, thick, bands):  # type: ignore[no-untyped-def]
    """Return the stairs of facets times their areas, summed, the largest, and how much area has stairs of each band."""
    summed = largest = 0.0
    areas = np.zeros(bands.shape[0] + 1)
    for i in range(rise.shape[0]):
        low, middle, high = corners[i, 0], corners[i, 1], corners[i, 2]
        k = min(np.searchsorted(tops, low + EXACT, side="right"), tops.shape[0] - 1)
        below = 0.0
        while k < tops.shape[0] and tops[k] - thick[k] < high - EXACT:
            under = _under(low, middle, high, tops[k])
            if under > below:
                part, stair = area[i] * (under - below), thick[k] * rise[i]
                summed += part * stair
                largest = max(largest, stair)
                areas[np.searchsorted(bands, stair - EXACT)] += part
                below = under
            k += 1
    return summed, largest, areas


@kernel
def _under(low, middle, high, z):  # type: ignore[no-untyped-def]
    """Return how much of a triangle lies under a height, as a share; its corners' heights do not fall."""
    if z >= high:
        return 1.0
    if z <= middle:
        return (z - low) ** 2 / ((middle - low) * (high - low)) if z > low else 0.0
    return 1.0 - (high - z) ** 2 / ((high - middle) * (high - low))
