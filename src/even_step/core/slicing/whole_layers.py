"""Where a zone takes whole layers: from where to where all of the part lies in it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.mesh import Mesh
from even_step.core.plane import region
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.work import Crew

MOST_PLANES = 1_000
OPEN = 1e-3  # mm², so much of a layer may lie outside: what comes of rounding


def whole_layers(
    mesh: Mesh, zone: Mesh, step: float, settings: ContourSettings, crew: Crew
) -> list[tuple[float, float]]:
    """Return the stretches within which all of a part lies in a zone, (low, high), rising, mm.

    Parameters
    ----------
    mesh, zone
        In the same frame, the part's bottom at 0.
    step
        How far apart both are cut to see it, mm; farther where these would be more than ``MOST_PLANES`` planes. Ends
        that are none of the zone's own are found so exactly.
    """
    if len(zone.faces) == 0:
        return []
    low, high = max(float(zone.bounds[0, 2]), 0.0), min(float(zone.bounds[1, 2]), float(mesh.bounds[1, 2]))
    if high <= low:
        return []
    edges = np.linspace(low, high, min(int(np.ceil((high - low) / step)), MOST_PLANES) + 1)
    planes = (edges[1:] + edges[:-1]) / 2
    of_part, of_zone = (contours(one, planes, settings, crew) for one in (mesh, zone))
    pairs, place = np.unique(np.stack((of_part.which, of_zone.which)), axis=1, return_inverse=True)
    outside = region.area(region.difference(of_part.outline[pairs[0]], of_zone.outline[pairs[1]]))
    return _stretches((outside <= OPEN)[place.ravel()], edges)


def _stretches(taken: NDArray[np.bool_], edges: NDArray[np.float64]) -> list[tuple[float, float]]:
    turns = np.flatnonzero(np.diff(np.concatenate(([False], taken, [False]))))
    return [(float(edges[a]), float(edges[b])) for a, b in zip(turns[::2], turns[1::2], strict=True)]
