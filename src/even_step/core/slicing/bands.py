"""Stage 5 where a full region is a narrow band: lines along it instead of many short ones across."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.plane.turns import sharpest_turn
from even_step.core.slicing.beads import Begun, narrow_walls
from even_step.core.slicing.laid import DOT, LaidWalls, Strands, no_strands, strands_joined, without_dots
from even_step.core.slicing.singles import Bounds
from even_step.core.slicing.walls import SHARP
from even_step.core.work import Crew, runs_of

NARROW, LONG = 6.0, 12.0  # lines: a piece no wider on average is a band if it is so many times as long
LEVELS = 5  # lines from each side at the most; what is left in the middle of a wider spot is no band


def bands(full: Regions, height: NDArray[np.float64], width: float, bore: float, crew: Crew) -> tuple[Regions, Strands]:
    """Lay lines along the narrow pieces of full regions.

    Parameters
    ----------
    full : (n,) regions
        mm.
    height : (n,) float64
        Of the layer each is in, mm.
    width, bore
        Of the lines and of the nozzle, mm.

    Returns
    -------
    (n,) regions, strands
        What is still to be filled, and the lines, whose items are the regions.
    """
    parts, owner = region.pieces(full)
    filled = plastic_width(width, height)[owner]
    mean = region.mean_width(parts)
    narrow = np.flatnonzero((mean < NARROW * filled) & (region.perimeter(parts) / 2 > LONG * mean))
    if len(narrow) == 0:
        return full, no_strands()
    micrometres = np.round(height[owner[narrow]] * 1e6).astype(np.int64)
    narrow = narrow[np.argsort(micrometres, kind="stable")]
    sizes = region.size_in_points(parts[narrow])

    def lay(first: int, last: int) -> list[tuple[Index, LaidWalls]]:
        some = narrow[first:last]
        high = height[owner[some]]
        alike = [some[high == one] for one in np.unique(high)]
        return [(numbers, _lay(parts[numbers], float(height[owner[numbers[0]]]), width, bore)) for numbers in alike]

    done = [one for run in crew.each(lay, runs_of(sizes, most=8_000)) for one in run]
    left = parts.copy()
    for numbers, laid in done:
        left[numbers] = laid.inner
    single, of = region.pieces(left)
    lines = [without_dots(laid.as_strands(), DOT) for _, laid in done]
    owned = [replace(some, item=owner[numbers[some.item]]) for some, (numbers, _) in zip(lines, done, strict=True)]
    return region.gathered(single, owner[of], len(full)), strands_joined(owned)


def _lay(shapes: Regions, height: float, width: float, bore: float) -> LaidWalls:
    """Lay lines from the edge of each shape inward until it is full; their plastic begins at its edge."""
    bounds = Bounds.of(bore, height, width)
    filled = np.full(LEVELS, float(plastic_width(width, height)))
    return narrow_walls(Begun([], shapes, sharpest_turn(shapes, width) > SHARP), filled, bounds, thicken=False)
