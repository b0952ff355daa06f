"""Stage 2: cut a mesh at the middle of each layer and chain the cuts into closed outlines.

Every vertex gets the number of cutting planes at or below it, and only these ranks are compared: a vertex
on a plane counts as above, and no special case is left. A facet's cut runs with the material to its left.
Where it crosses an edge is computed from the edge's lower to its upper vertex, so both facets of the edge
get the same bits. Linear in facets and cuts (Minetto, Volpato, Stolfi et al. 2017).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import layers
from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Mesh
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import (
    mix,
    nest_rings,
    ring_area,
    simplify_ring,
    start_of_ring,
)
from even_step.core.work import Crew, runs_of

LEAST_RING = 1e-3  # mm², a smaller ring holds no plastic worth a line


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
    rank = _ranks(mesh.vertices, cuts)
    facets, start = _facets_by_cut(mesh.faces, rank, len(cuts), crew)
    runs = runs_of(np.diff(start), most=200_000)
    tolerance = settings.resolution

    def trace(
        first: int, last: int
    ) -> tuple[NDArray[np.float64], Index, Index, NDArray[np.uint64], NDArray[np.float64], int]:
        cut = _cut(mesh.vertices, mesh.faces, rank, cuts, facets, start, first, last, settings.closing_gap)
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
    outline = _regions(xy, ring, by_layer, chosen, crew)
    gaps = np.concatenate([piece[4] + (run[0], 0, 0, 0) for piece, run in zip(done, runs, strict=True)])
    return Contours(place[which], outline, gaps, sum(piece[5] for piece in done))


def _regions(xy: NDArray[np.float64], ring: Index, by_layer: Index, chosen: Index, crew: Crew) -> Regions:
    """Nest the rings of the chosen layers and build their regions."""

    def build(first: int, last: int) -> Regions:
        picked = [(int(by_layer[k]), int(by_layer[k + 1])) for k in chosen[first:last]]
        nested, start, polygon, item = _nest(xy, ring, np.array(picked, np.int64).reshape(-1, 2))
        return region.from_rings(nested, start, polygon, item, last - first)

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
def _cross(vertices, low, high, z, out, at):  # type: ignore[no-untyped-def]
    """Put where the edge from a lower to an upper vertex meets the plane into ``out[at]``."""
    share = (z - vertices[low, 2]) / (vertices[high, 2] - vertices[low, 2])
    out[at, 0] = vertices[low, 0] + (vertices[high, 0] - vertices[low, 0]) * share
    out[at, 1] = vertices[low, 1] + (vertices[high, 1] - vertices[low, 1]) * share


@kernel
def _ends(faces, rank, f, k):  # type: ignore[no-untyped-def]
    """Return the lower and upper vertex of the edge where the cut of a facet begins, and where it ends."""
    a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
    up_a, up_b, up_c = rank[a] > k, rank[b] > k, rank[c] > k
    if up_a == up_b:
        a, b, c = c, a, b
        up_a = up_c
    elif up_a == up_c:
        a, b, c = b, c, a
        up_a = up_b
    # a is alone on its side: the cut crosses a–b and c–a.
    if up_a:
        return b, a, c, a
    return a, c, a, b


@kernel
def _cut(vertices, faces, rank, cuts, facets, start, first, last, limit):  # type: ignore[no-untyped-def]
    """Chain the cuts of layers ``first..last`` into loops.

    A table per layer, open addressing keyed by the edge (lower vertex, upper vertex), says which cut begins
    at an edge. Returns points, starts of loops, starts of layers in loops, gaps wider than the limit (layer,
    width, x, y) and how many chains were open.
    """
    most = 1
    total = 0
    for k in range(first, last):
        count = start[k + 1] - start[k]
        most = max(most, count)
        total += count
    log = 4
    while (1 << log) < 2 * most:
        log += 1
    table = np.empty(1 << log, np.int32)
    begin = np.empty(most, np.int64)
    end = np.empty(most, np.int64)
    following = np.empty(most, np.int32)
    led_to = np.empty(most, np.bool_)
    points = np.empty((2 * total, 2))
    loop = np.empty(total + 1, np.int64)
    layer = np.zeros(last - first + 1, np.int64)
    gaps = np.empty((16, 4))
    found = 0
    opened = 0
    loop[0] = 0
    loops = 0
    w = 0
    for k in range(first, last):
        count = start[k + 1] - start[k]
        base = start[k]
        bits = 3
        while (1 << bits) < 2 * count:
            bits += 1
        mask = (1 << bits) - 1
        shift = np.uint64(64 - bits)
        for i in range(mask + 1):
            table[i] = -1
        for i in range(count):
            b0, b1, e0, e1 = _ends(faces, rank, facets[base + i], k)
            begin[i] = (np.int64(b0) << 32) | np.int64(b1)
            end[i] = (np.int64(e0) << 32) | np.int64(e1)
            led_to[i] = False
            slot = np.int64((np.uint64(begin[i]) * np.uint64(0x9E3779B97F4A7C15)) >> shift)
            while table[slot] >= 0:
                slot = (slot + 1) & mask
            table[slot] = i
        for i in range(count):
            following[i] = -1
            slot = np.int64((np.uint64(end[i]) * np.uint64(0x9E3779B97F4A7C15)) >> shift)
            while table[slot] != -1:
                j = table[slot]
                if begin[j] == end[i] and not led_to[j]:
                    following[i] = j
                    led_to[j] = True
                    break
                slot = (slot + 1) & mask
        z = cuts[k]
        first_loop = loops
        for i in range(count):
            if led_to[i] or begin[i] < 0:
                continue
            j = i
            while True:
                _cross(vertices, begin[j] >> 32, begin[j] & 0xFFFFFFFF, z, points, w)
                w += 1
                begin[j] = -1
                if following[j] < 0:
                    break
                j = following[j]
            _cross(vertices, end[j] >> 32, end[j] & 0xFFFFFFFF, z, points, w)
            w += 1
            loops += 1
            loop[loops] = w
        if loops > first_loop:
            opened += loops - first_loop
            loops, gaps, found = _close(points, loop, first_loop, loops, limit, k - first, gaps, found)
        for i in range(count):
            if begin[i] < 0:
                continue
            j = i
            while begin[j] >= 0:
                _cross(vertices, begin[j] >> 32, begin[j] & 0xFFFFFFFF, z, points, w)
                w += 1
                begin[j] = -1
                j = following[j]
            loops += 1
            loop[loops] = w
        layer[k - first + 1] = loops
    return points[:w].copy(), loop[: loops + 1].copy(), layer, gaps[:found].copy(), opened


@kernel
def _close(points, loop, first, last, limit, layer, gaps, found):  # type: ignore[no-untyped-def]
    """Join open chains ``first..last`` of a layer end to nearest beginning, until all are loops.

    A chain is closed on itself when its own beginning is the nearest. Every gap wider than the limit is
    noted. Returns the new number of loops, the gaps and their count.
    """
    count = last - first
    copy = points[loop[first] : loop[last]].copy()
    begin = loop[first : last + 1] - loop[first]
    begin = begin.copy()
    used = np.zeros(count, np.bool_)
    w = loop[first]
    loops = first
    for seed in range(count):
        if used[seed]:
            continue
        used[seed] = True
        head = seed
        chain = seed
        while True:
            for p in range(begin[chain], begin[chain + 1]):
                points[w, 0] = copy[p, 0]
                points[w, 1] = copy[p, 1]
                w += 1
            x, y = copy[begin[chain + 1] - 1, 0], copy[begin[chain + 1] - 1, 1]
            best = (copy[begin[head], 0] - x) ** 2 + (copy[begin[head], 1] - y) ** 2
            nearest = -1
            for c in range(count):
                if not used[c]:
                    d = (copy[begin[c], 0] - x) ** 2 + (copy[begin[c], 1] - y) ** 2
                    if d < best:
                        best = d
                        nearest = c
            if best > limit * limit:
                if found == gaps.shape[0]:
                    wider = np.empty((2 * found, 4))
                    wider[:found] = gaps
                    gaps = wider
                gaps[found, 0] = layer
                gaps[found, 1] = np.sqrt(best)
                gaps[found, 2] = x
                gaps[found, 3] = y
                found += 1
            if nearest < 0:
                break
            used[nearest] = True
            chain = nearest
        loops += 1
        loop[loops] = w
    return loops, gaps, found


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
            at = start_of_ring(points, first, last)
            for i in range(size):
                j = at + i
                if j >= last:
                    j -= size
                turned[i, 0] = points[j, 0]
                turned[i, 1] = points[j, 1]
            simplify_ring(turned, size, tolerance, keep, stack)
            begin = w
            for i in range(size):
                if keep[i]:
                    x = np.round(turned[i, 0] * 1000.0) / 1000.0 + 0.0
                    y = np.round(turned[i, 1] * 1000.0) / 1000.0 + 0.0
                    if w == begin or xy[w - 1, 0] != x or xy[w - 1, 1] != y:
                        xy[w, 0] = x
                        xy[w, 1] = y
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
def _nest(xy, ring, picked):  # type: ignore[no-untyped-def]
    """Put each hole after its shell, for the picked ranges of rings (one range a region)."""
    rings = 0
    points = 0
    for k in range(picked.shape[0]):
        rings += picked[k, 1] - picked[k, 0]
        points += ring[picked[k, 1]] - ring[picked[k, 0]]
    out = np.empty((points, 2))
    start = np.zeros(rings + 1, np.int64)
    polygon = np.empty(rings, np.int64)
    item = np.empty(rings, np.int64)
    w = 0
    r_out = 0
    polygons = 0
    for k in range(picked.shape[0]):
        first, last = picked[k, 0], picked[k, 1]
        count = last - first
        local = np.empty(count + 1, np.int64)
        area = np.empty(count)
        order = np.empty(count, np.int64)
        parent = np.empty(count, np.int64)
        base = ring[first]
        for r in range(count + 1):
            local[r] = ring[first + r] - base
        part = xy[base : ring[last]]
        for r in range(count):
            area[r] = ring_area(part, local[r], local[r + 1])
        nest_rings(part, local, 0, count, area, order, parent)
        head = np.full(count, -1, np.int64)
        chain = np.full(count, -1, np.int64)
        for r in range(count - 1, -1, -1):
            if area[r] <= 0.0 and parent[r] >= 0:
                chain[r] = head[parent[r]]
                head[parent[r]] = r
        for s in range(count):
            if area[s] <= 0.0:
                continue
            r = s
            while r >= 0:
                for i in range(local[r], local[r + 1]):
                    out[w, 0] = part[i, 0]
                    out[w, 1] = part[i, 1]
                    w += 1
                polygon[r_out] = polygons
                r_out += 1
                start[r_out] = w
                r = head[s] if r == s else chain[r]
            item[polygons] = k
            polygons += 1
    return out[:w].copy(), start[: r_out + 1].copy(), polygon[:r_out].copy(), item[:polygons].copy()
