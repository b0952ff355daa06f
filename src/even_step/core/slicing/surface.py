"""How steep a solid's surface lies at each height: what layers that follow it ask."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh

FLAT = float(np.cos(np.radians(1.0)))  # upright share of a normal: a flatter facet is exact where a layer ends on it
LEAST_FLAT = 0.1  # mm², what is smaller is no place for a layer to end


@dataclass(frozen=True, eq=False)
class Surface:
    """The slopes of a solid by height.

    Attributes
    ----------
    z : (K + 1,) float64
        The heights between which no facet begins or ends, rising, mm.
    rise : (K,) float64
        The largest upright share of a facet's normal between them, 0 to 1; flats do not count.
    flats : (F,) float64
        The heights of flats, rising, mm.
    """

    z: NDArray[np.float64]
    rise: NDArray[np.float64]
    flats: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Facets:
    """The facets of a solid: upright share of the normal, area in mm², heights of their corners in mm, (n,) each."""

    rise: NDArray[np.float64]
    area: NDArray[np.float64]
    low: NDArray[np.float64]
    middle: NDArray[np.float64]
    high: NDArray[np.float64]


def facets_of(mesh: Mesh) -> Facets:
    """Return how the facets of a mesh lie."""
    return Facets(*_lie(mesh.vertices, mesh.faces))


@kernel
def _lie(vertices, faces):  # type: ignore[no-untyped-def]
    """Return upright share of the normal, area, lowest, middle and highest corner of each facet."""
    count = faces.shape[0]
    rise, area, low, middle, high = np.empty(count), np.empty(count), np.empty(count), np.empty(count), np.empty(count)
    for f in range(count):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ux, uy, uz = vertices[b, 0] - vertices[a, 0], vertices[b, 1] - vertices[a, 1], vertices[b, 2] - vertices[a, 2]
        vx, vy, vz = vertices[c, 0] - vertices[a, 0], vertices[c, 1] - vertices[a, 1], vertices[c, 2] - vertices[a, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        double = np.sqrt(x * x + y * y + z * z)
        rise[f], area[f] = abs(z) / max(double, 1e-30), double / 2
        # To a nanometre, lest corners of one height differ.
        heights = (vertices[a, 2], vertices[b, 2], vertices[c, 2])
        low[f], high[f] = np.rint(min(heights) * 1e6) / 1e6, np.rint(max(heights) * 1e6) / 1e6
        middle[f] = min(max(sum(heights) - min(heights) - max(heights), low[f]), high[f])
    return rise, area, low, middle, high


def surface_of(facets: Facets) -> Surface:
    """Return the slopes of a solid by height."""
    flat = facets.rise >= FLAT
    level, where = np.unique(np.round((facets.low[flat] + facets.high[flat]) / 2, 3), return_inverse=True)
    wide = np.bincount(where.ravel(), facets.area[flat], len(level)) >= LEAST_FLAT
    slope = np.flatnonzero(~flat & (facets.high > facets.low))
    z = np.unique(np.concatenate((facets.low[slope], facets.high[slope])))
    if len(z) < 2:
        z = np.array([0.0, 1.0])
    order = slope[np.argsort(-facets.rise[slope], kind="stable")]
    low, high = np.searchsorted(z, facets.low[order]), np.searchsorted(z, facets.high[order])
    return Surface(z, _painted(len(z) - 1, low, high, facets.rise[order]), level[wide])


@kernel
def _painted(count, low, high, value):  # type: ignore[no-untyped-def]
    """Give each interval the first value whose range holds it: ranges come largest value first.

    An interval that has its value is passed over by its link to the next that has none (union-find).
    """
    out = np.zeros(count)
    after = np.arange(count + 1)
    for i in range(low.shape[0]):
        k = low[i]
        while True:
            root = k
            while after[root] != root:
                root = after[root]
            while after[k] != root:
                after[k], k = root, after[k]
            if root >= high[i]:
                break
            out[root] = value[i]
            after[root] = root + 1
            k = root
    return out
