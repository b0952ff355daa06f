"""Stage 2: cut a mesh at the middle of each layer and chain the cuts into closed outlines.

Every vertex gets the number of cutting planes at or below it, and only these ranks are compared: a vertex
on a plane counts as above, and no special case is left. A facet's cut runs with the material to its left.
Where it crosses an edge is computed from the edge's lower to its upper vertex, so both facets of the edge
get the same bits. Linear in facets and cuts (Minetto, Volpato, Stolfi et al. 2017).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import layers
from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh
from even_step.core.plane import region
from even_step.core.plane.nest import nested_rings
from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import (
    mix,
    ring_area,
    simplify_ring,
    start_of_ring,
)
from even_step.core.slicing.chains import chain_cuts
from even_step.core.work import Crew, runs_of

STRAIGHT = 1e-7  # mm off a side, which is nothing but rounding of numbers
LEAST_RING = 1e-3  # mm², a smaller ring holds no plastic worth a line
MANY_CUTS, FEW_CUTS = 200_000, 20_000  # facets cut in one go: of one mesh, of many small ones


@dataclass(frozen=True)
class ContourSettings:
    """What the contours depend on, mm."""

    closing_gap: Annotated[float, layers.CLOSING_GAP]
    resolution: Annotated[float, layers.RESOLUTION]


@dataclass(frozen=True, eq=False)
class Contours:
    """The outlines of one solid, equal layers once.

    Attributes
    ----------
    which : (L,) int64
        Which outline a layer has.
    outline : (U,) regions
        The distinct outlines.
    gaps : (G, 4) float64
        Each wide gap that was closed: layer, width in mm, and where (x, y) in mm.
    open_chains : int
        How many chains did not close by themselves.
    """

    which: Index
    outline: Regions
    gaps: NDArray[np.float64]
    open_chains: int


def contours(mesh: Mesh, cuts: NDArray[np.float64], settings: ContourSettings, crew: Crew) -> Contours:
    """Cut a mesh at some heights.

    Parameters
    ----------
    mesh
        Posed on the bed, winding consistent.
    cuts : (L,) float64
        Where to cut, mm, rising.
    settings
        Simplification and the width of gaps that may be closed silently.
    crew
        Who does the work.
    """
    return _cut(mesh, _ranks(mesh.vertices, cuts), cuts, settings, crew)


def contours_of_each(
    meshes: Sequence[Mesh], cuts: NDArray[np.float64], settings: ContourSettings, crew: Crew
) -> tuple[Index, Regions]:
    """Cut many meshes at the same heights, (L,), all in one go.

    Returns
    -------
    which : (n, L) int64
        Which outline each mesh has at each height.
    outline : (U,) regions
        The distinct outlines.
    """
    first = np.cumsum([0, *(len(mesh.vertices) for mesh in meshes)])
    if first[-1] == 0:
        return np.zeros((len(meshes), len(cuts)), np.int64), region.nothing(1)
    stacked = Mesh(
        np.concatenate([mesh.vertices for mesh in meshes]),
        np.concatenate([mesh.faces + at for mesh, at in zip(meshes, first, strict=False)]).astype(np.int32),
    )
    # Each with planes of its own: only ranks are compared.
    rank = [_ranks(mesh.vertices, cuts) + number * len(cuts) for number, mesh in enumerate(meshes)]
    ranks = np.concatenate(rank).astype(np.int32)
    found = _cut(stacked, ranks, np.tile(cuts, len(meshes)), settings, crew, most=FEW_CUTS)
    return found.which.reshape(len(meshes), len(cuts)), found.outline


def _cut(
    mesh: Mesh,
    rank: NDArray[np.int32],
    cuts: NDArray[np.float64],
    settings: ContourSettings,
    crew: Crew,
    most: int = MANY_CUTS,
) -> Contours:
    facets, start = _facets_by_cut(mesh.faces, rank, len(cuts), crew)
    runs = runs_of(np.diff(start), most=most)
    tolerance = settings.resolution

    def trace(
        first: int, last: int
    ) -> tuple[NDArray[np.float64], Index, Index, NDArray[np.uint64], NDArray[np.float64], int]:
        cut = chain_cuts(mesh.vertices, mesh.faces, rank, cuts, facets, start, first, last, settings.closing_gap)
        loops, loop_start, loop_layer, gaps, opened = cut
        return *_tidy(loops, loop_start, loop_layer, last - first, tolerance), gaps, int(opened)

    done = crew.each(trace, runs)
    xy = np.concatenate([piece[0] for piece in done])
    ring = joined_starts([piece[1] for piece in done])
    by_layer = joined_starts([piece[2] for piece in done])
    signature = np.concatenate([piece[3] for piece in done])
    _, first_seen, which = np.unique(signature, return_index=True, return_inverse=True)
    order = np.argsort(first_seen)
    place = np.empty_like(order)
    place[order] = np.arange(len(order))
    chosen = first_seen[order]
    outline = nested(xy, ring, by_layer, chosen, crew)
    gaps = np.concatenate([piece[4] + (run[0], 0, 0, 0) for piece, run in zip(done, runs, strict=True)])
    return Contours(place[which], outline, gaps, sum(piece[5] for piece in done))


def nested(xy: NDArray[np.float64], ring: Index, by_layer: Index, chosen: Index, crew: Crew) -> Regions:
    """Nest the rings of the chosen layers and build their regions.

    Parameters
    ----------
    xy : (N, 2) float64
        Points of all rings, mm, material to the left.
    ring, by_layer : int64
        Where each ring's points begin, and each layer's rings.
    chosen : (n,) int64
        The layers.
    """

    def build(first: int, last: int) -> Regions:
        some = chosen[first:last]
        return nested_rings(xy, ring, np.stack((by_layer[some], by_layer[some + 1]), axis=1))

    weights = ring[by_layer[chosen + 1]] - ring[by_layer[chosen]]
    parts = crew.each(build, runs_of(weights, most=50_000))
    return np.concatenate(parts) if parts else region.nothing(0)


def _ranks(vertices: NDArray[np.float64], cuts: NDArray[np.float64]) -> NDArray[np.int32]:
    return np.searchsorted(cuts, vertices[:, 2], side="right").astype(np.int32)


def _facets_by_cut(
    faces: NDArray[np.int32], rank: NDArray[np.int32], cuts: int, crew: Crew
) -> tuple[NDArray[np.int32], Index]:
    """List for each cut the facets it crosses, in the order of the facets."""
    edges = np.linspace(0, len(faces), 2 * crew.threads + 1).astype(int)
    runs = [(int(a), int(b)) for a, b in pairwise(edges)]
    counts = np.stack(crew.each(lambda a, b: _count(faces, rank, a, b, cuts), runs))
    start = np.zeros(cuts + 1, np.int64)
    np.cumsum(counts.sum(axis=0), out=start[1:])
    place = start[:-1] + np.cumsum(counts, axis=0) - counts
    facets = np.empty(start[-1], np.int32)
    numbers = {run: i for i, run in enumerate(runs)}
    crew.each(lambda a, b: _fill(faces, rank, a, b, place[numbers[a, b]].copy(), facets), runs)
    return facets, start


@kernel
def _count(faces, rank, first, last, cuts):  # type: ignore[no-untyped-def]
    change = np.zeros(cuts + 1, np.int64)
    for f in range(first, last):
        a, b, c = rank[faces[f, 0]], rank[faces[f, 1]], rank[faces[f, 2]]
        low = min(a, b, c)
        high = max(a, b, c)
        if low != high:
            change[low] += 1
            change[high] -= 1
    return np.cumsum(change)[:cuts]


@kernel
def _fill(faces, rank, first, last, place, facets):  # type: ignore[no-untyped-def]
    for f in range(first, last):
        a, b, c = rank[faces[f, 0]], rank[faces[f, 1]], rank[faces[f, 2]]
        for k in range(min(a, b, c), max(a, b, c)):
            facets[place[k]] = f
            place[k] += 1
    return 0


@kernel
def _tidy(points, loop, layer, count, tolerance):  # type: ignore[no-untyped-def]
    """Simplify loops, snap them to 1 µm, begin each at its fixed point, hash each layer."""
    most = 1
    for r in range(loop.shape[0] - 1):
        most = max(most, loop[r + 1] - loop[r])
    xy = np.empty((points.shape[0], 2))
    ring = np.zeros(loop.shape[0], np.int64)
    by_layer = np.zeros(count + 1, np.int64)
    signature = np.empty(count, np.uint64)
    corner = np.empty((most, 2))
    turned = np.empty((most, 2))
    keep = np.empty(most, np.bool_)
    stack = np.empty((most + 4, 2), np.int64)
    w = 0
    rings = 0
    for k in range(count):
        state = np.uint64(0x243F6A8885A308D3)
        for r in range(layer[k], layer[k + 1]):
            first, last = loop[r], loop[r + 1]
            size = last - first
            if size < 3:
                continue
            size = _corners(points, first, last, corner)
            at = start_of_ring(corner, 0, size)
            for i in range(size):
                j = at + i
                if j >= size:
                    j -= size
                turned[i, 0] = corner[j, 0]
                turned[i, 1] = corner[j, 1]
            simplify_ring(turned, size, tolerance, keep, stack)
            begin = w
            for i in range(size):
                if keep[i]:
                    xy[w, 0] = turned[i, 0]
                    xy[w, 1] = turned[i, 1]
                    w += 1
            if w - begin < 3 or abs(ring_area(xy, begin, w)) < LEAST_RING:
                w = begin
                continue
            for i in range(begin, w):
                # Whole micrometres: the same place gives the same bits.
                across, up = np.int64(np.round(xy[i, 0] * 1000.0)), np.int64(np.round(xy[i, 1] * 1000.0))
                state = mix(mix(state, np.uint64(across)), np.uint64(up))
            state = mix(state, np.uint64(w - begin))
            rings += 1
            ring[rings] = w
        by_layer[k + 1] = rings
        signature[k] = state
    return xy[:w].copy(), ring[: rings + 1].copy(), by_layer, signature


@kernel
def _corners(points, first, last, corner):  # type: ignore[no-untyped-def]
    """Write the corners of a loop, on the grid, and return how many.

    A facet's diagonal adds a point to a straight side, elsewhere in each layer: were it to stay, equal layers would
    be simplified otherwise and not be known for equal.
    """
    size = 0
    count = last - first
    begin, far = first, 0.0  # farthest from any point is a corner
    for p in range(first + 1, last):
        away = (points[p, 0] - points[first, 0]) ** 2 + (points[p, 1] - points[first, 1]) ** 2
        if away > far:
            begin, far = p, away
    x0, y0 = points[begin, 0], points[begin, 1]
    for i in range(count):
        p = begin + i if begin + i < last else begin + i - count
        q = p + 1 if p + 1 < last else first
        x, y = points[p, 0], points[p, 1]
        dx, dy = points[q, 0] - x0, points[q, 1] - y0
        side = dx * (y - y0) - dy * (x - x0)
        ahead = dx * (x - x0) + dy * (y - y0)
        long = dx * dx + dy * dy
        if i > 0 and side * side <= STRAIGHT * STRAIGHT * long and 0.0 <= ahead <= long:
            continue
        x0, y0 = x, y
        x, y = np.round(x * 1000.0) / 1000.0 + 0.0, np.round(y * 1000.0) / 1000.0 + 0.0
        if size == 0 or corner[size - 1, 0] != x or corner[size - 1, 1] != y:
            corner[size, 0] = x
            corner[size, 1] = y
            size += 1
    while size > 1 and corner[size - 1, 0] == corner[0, 0] and corner[size - 1, 1] == corner[0, 1]:
        size -= 1
    return size
