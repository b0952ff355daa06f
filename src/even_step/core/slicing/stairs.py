"""How rough slopes come out: the stairs that layers leave on them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.surface import FLAT, Facets


class Stairs(NamedTuple):
    """The stairs on all slopes together: mean by area, and largest, mm; 0 where there is no slope."""

    mean: float
    largest: float


def stairs_of(facets: Facets, heights: Heights) -> Stairs:
    """Return the stairs that layers leave on facets: ``h·|n_z|`` square to each (Dolenc and Mäkelä 1994).

    Flats and upright walls have none. A facet that several layers cut has the mean of theirs by height.
    """
    some = (facets.rise < FLAT) & (facets.rise > 1e-6) & (facets.high > facets.low)
    area, rise = facets.area[some], facets.rise[some]
    mean, largest = _thick_along(facets.low[some], facets.high[some], heights.tops, heights.thick)
    if not len(area):
        return Stairs(0.0, 0.0)
    return Stairs(float((mean * rise * area).sum() / area.sum()), float((largest * rise).max()))


@kernel
def _thick_along(low, high, tops, thick):  # type: ignore[no-untyped-def]
    """Return the mean and the largest thickness of the layers between two heights, for each pair of these."""
    mean, largest = np.zeros(low.shape[0]), np.zeros(low.shape[0])
    for i in range(low.shape[0]):
        long = 0.0
        k = min(np.searchsorted(tops, low[i] + 1e-6, side="right"), tops.shape[0] - 1)
        while k < tops.shape[0]:
            bottom = tops[k] - thick[k]
            share = min(high[i], tops[k]) - max(low[i], bottom)
            if bottom >= high[i] - 1e-6:
                break
            if share > 0.0:
                mean[i] += share * thick[k]
                long += share
                largest[i] = max(largest[i], thick[k])
            k += 1
        if long > 0.0:
            mean[i] /= long
    return mean, largest
