"""Stage 5 where a full region is a narrow band: lines along it instead of many short ones across."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.laid import DOT, LaidWalls, Strands, no_strands, strands_joined, without_dots
from even_step.core.slicing.narrow import Levels, narrow_walls
from even_step.core.slicing.singles import Bounds
from even_step.core.work import Crew, runs_of

NARROW, LONG = 6.0, 12.0  # lines: a piece no wider on average is a band if it is so many times as long
LEVELS = 3  # lines from each side at the most; what is left in the middle of a wider spot is no band


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
    of = np.unique(owner[narrow])
    micrometres = np.round(height[of] * 1e6).astype(np.int64)
    of = of[np.argsort(micrometres, kind="stable")]
    thin = region.nothing(len(full))
    thin[of] = region.gathered(parts[narrow], owner[narrow], len(full))[of]

    def lay(first: int, last: int) -> list[tuple[Index, LaidWalls]]:
        some = of[first:last]
        return [_lay(thin, some[height[some] == one], float(one), width, bore) for one in np.unique(height[some])]

    done = [one for run in crew.each(lay, runs_of(region.size_in_points(thin[of]), most=8_000)) for one in run]
    wide = np.ones(len(parts), np.bool_)
    wide[narrow] = False
    left = [(parts[wide], owner[wide])]
    for numbers, laid in done:
        thin[numbers] = laid.inner
    single, at = region.pieces(thin)
    left.append((single, at))
    pieces, item = np.concatenate([one for one, _ in left]), np.concatenate([at for _, at in left])
    order = np.argsort(item, kind="stable")
    lines = [without_dots(laid.as_strands(), DOT) for _, laid in done]
    owned = [replace(some, item=numbers[some.item]) for some, (numbers, _) in zip(lines, done, strict=True)]
    return region.gathered(pieces[order], item[order], len(full)), strands_joined(owned)


def _lay(thin: Regions, some: Index, height: float, width: float, bore: float) -> tuple[Index, LaidWalls]:
    """Lay lines from the edge of some shapes inward until they are full; their plastic begins at the edge.

    Returns which shapes are narrow somewhere, and their lines.
    """
    bounds = Bounds.of(bore, height, width)
    filled = np.full(LEVELS, float(plastic_width(width, height)))
    narrow, laid = narrow_walls(thin[some], Levels(filled, 0.0, bounds), thicken=False)
    return some[narrow], laid
