"""What of a posed part hangs past the machine's limit with no material beneath: from its facets, exactly."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import layers, supports
from even_step.core.kernels import kernel
from even_step.core.mesh.buried import bare_share
from even_step.core.mesh.measure import overhang
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.shells import labels_of
from even_step.core.overhang import Limits
from even_step.core.plane import region
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.slicing.heights import first_top
from even_step.core.work import Crew

FLAT = 1e-4  # mm of height within a facet that lies flat
BELOW = 0.002  # mm beneath a flat underside, where what carries it is cut
SECTION = ContourSettings(0.05, 0.001)


@dataclass(frozen=True)
class HangingSettings:
    """From which angle on something hangs, degrees, 0 for the machine's own; and where the first layer ends, mm.

    Nothing in the first layer hangs.
    """

    angle: Annotated[float, supports.ANGLE]

    first_height: Annotated[float, layers.FIRST_HEIGHT]
    own_least: Annotated[float, layers.LEAST]
    nozzle_least: float

    def first_top(self, tall: float) -> float:
        """Return the top of the first layer of a part, mm."""
        return first_top(tall, self.first_height, max(self.own_least, self.nozzle_least))


@dataclass(frozen=True, eq=False)
class Hanging:
    """Facets that hang.

    Attributes
    ----------
    facet : (n,) int64
        Their numbers.
    area : (n,) float64
        What of each hangs, as seen from below, mm²; what lies in another body does not.
    patch : (n,) int64
        Which of the patches of facets that touch each is in.
    low : (n,) float64
        The lowest height of each, mm.
    middle : (n, 2) float64
        Where each is, mm.
    flat : (n,) bool
        Whether it is a flat ceiling.
    corners : (n, 3, 3) float64
        Its corners, mm.
    """

    facet: NDArray[np.int64]
    area: NDArray[np.float64]
    patch: NDArray[np.int64]
    low: NDArray[np.float64]
    middle: NDArray[np.float64]
    flat: NDArray[np.bool_]
    corners: NDArray[np.float64]

    @property
    def total(self) -> float:
        """All that hangs, mm²."""
        return float(self.area.sum())


def hanging(mesh: Mesh, limits: Limits, above: float, crew: Crew, *, one_shell: bool = False) -> Hanging:
    """Find what hangs.

    Parameters
    ----------
    mesh
        Posed, standing on z = 0, winding consistent, mm.
    limits
        The machine's, degrees from the vertical toward +x, +y, −x, −y.
    above
        What lies wholly below this height rests on the bed, mm.
    one_shell
        Whether its surface is known to be of one piece, which hides none of its own facets.
    """
    edges = np.linspace(0, len(mesh.faces), 2 * crew.threads + 1).astype(int)
    runs = [(int(a), int(b)) for a, b in pairwise(edges)]
    area = np.concatenate(crew.each(lambda a, b: overhang(Mesh(mesh.vertices, mesh.faces[a:b]), limits, above), runs))
    facet = np.flatnonzero(area > 0.0)
    low, high, middle = _lie_of(mesh.vertices, mesh.faces, facet)
    flat, hangs = high - low < FLAT, area[facet]
    if len(facet) and not one_shell and labels_of(mesh)[1] > 1:
        slopes, ceilings = np.flatnonzero(~flat), np.flatnonzero(flat)
        hangs[slopes] *= bare_share(mesh, facet[slopes])
        hangs[ceilings] = bare_ceilings(mesh, mesh.vertices[mesh.faces[facet[ceilings]]], crew)
    patch = labels_of(Mesh(mesh.vertices, mesh.faces[facet]))[0].astype(np.int64)
    return Hanging(facet, hangs, patch, low, middle, flat, mesh.vertices[mesh.faces[facet]])


@kernel
def _lie_of(vertices, faces, facet):  # type: ignore[no-untyped-def]
    """Return how low and how high some facets reach, and where their middles lie."""
    count = facet.shape[0]
    low, high, middle = np.empty(count), np.empty(count), np.empty((count, 2))
    for i in range(count):
        a, b, c = faces[facet[i], 0], faces[facet[i], 1], faces[facet[i], 2]
        low[i] = min(vertices[a, 2], vertices[b, 2], vertices[c, 2])
        high[i] = max(vertices[a, 2], vertices[b, 2], vertices[c, 2])
        for axis in range(2):
            middle[i, axis] = (vertices[a, axis] + vertices[b, axis] + vertices[c, axis]) / 3.0
    return low, high, middle


def bare_ceilings(mesh: Mesh, corners: NDArray[np.float64], crew: Crew) -> NDArray[np.float64]:
    """Return what of flat facets (n, 3, 3) has no material right beneath, mm²: cut from the part's section there."""
    if len(corners) == 0:
        return np.empty(0)
    heights, level = np.unique(np.round(corners[:, 0, 2] - BELOW, 4), return_inverse=True)
    cut = contours(mesh, heights, SECTION, crew)
    triangles = region.of_triangles(corners[:, :, :2])
    beneath = cut.outline[cut.which[level]]
    bare = region.area(triangles)
    some = np.flatnonzero(region.touches(triangles, beneath))
    bare[some] = region.area(region.difference(triangles[some], beneath[some]))
    return bare
