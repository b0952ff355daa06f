"""Layers on shallow slopes: the outline moves so far from one to the next that walls do not lie on walls."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.slicing.regions import Outlines
from even_step.core.work import Crew, runs_of

STEP = 0.5  # lines: an outline that moves less still has its wall held


def on_slopes(outlines: Outlines, line: float, stack: float, crew: Crew) -> NDArray[np.bool_]:
    """Tell which layers lie on a shallow slope, (L,).

    Parameters
    ----------
    line, stack
        Width of a line and of all walls, mm: bands wider than the walls are no slope but a step.
    """
    which = outlines.which
    found = np.zeros(len(which), bool)
    layers = np.flatnonzero(which[1:] != which[:-1])
    pairs, place = np.unique(np.stack((which[layers], which[layers + 1]), axis=1), axis=0, return_inverse=True)
    if len(pairs) == 0:
        return found

    def look(first: int, last: int) -> NDArray[np.bool_]:
        lower, upper = outlines.outline[pairs[first:last, 0]], outlines.outline[pairs[first:last, 1]]
        bands = np.concatenate((region.difference(lower, upper), region.difference(upper, lower)))
        parts, owner = region.pieces(bands)
        width = region.mean_width(parts)
        steep = np.zeros(last - first, bool)
        steep[owner[(width > STEP * line) & (width < stack)] % (last - first)] = True
        return steep

    shallow = np.concatenate(crew.each(look, runs_of(region.size_in_points(outlines.outline)[pairs].sum(axis=1))))
    some = layers[shallow[place.ravel()]]
    found[some] = found[some + 1] = True
    return found
