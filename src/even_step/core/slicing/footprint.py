"""Outlines of a posed part at a few heights: enough to see at once whether two parts run into each other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh
from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.work import Crew

LEAST_SHARED = 0.01  # mm²; parts that only touch share less
RESOLUTION = 0.05  # mm


def footprint(mesh: Mesh, cuts: NDArray[np.float64]) -> Regions:
    """Return the outline of a posed mesh at each of some heights, in its own frame.

    Parameters
    ----------
    mesh
        Standing on z = 0, its middle over the origin, mm.
    cuts : (n,) float64
        Heights, rising, mm.
    """
    below = cuts[cuts < mesh.bounds[1, 2]]
    out = region.nothing(len(cuts))
    if len(below):
        cut = contours(mesh, below, ContourSettings(0.05, RESOLUTION), Crew(1))
        out[: len(below)] = cut.outline[cut.which]
    return out


def share_ground(a: Regions, at_a: tuple[float, float], b: Regions, at_b: tuple[float, float]) -> bool:
    """Whether two footprints, each shifted to its place, overlap at any height."""
    by = (at_b[0] - at_a[0], at_b[1] - at_a[1])
    moved = np.array([region.shifted(shape, *by) for shape in b], object)
    near = np.flatnonzero(region.touches(a, moved))
    return bool(len(near)) and bool(region.area(region.intersection(a[near], moved[near])).max() > LEAST_SHARED)
