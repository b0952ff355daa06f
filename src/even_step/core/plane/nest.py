"""Regions of loose rings: each hole is put into the smallest ring to the left round it."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import nest_rings, ring_area


def nested_rings(xy: Points, ring: Index, picked: Index) -> Regions:
    """Build regions of rings, material to their left.

    Parameters
    ----------
    xy : (N, 2) float64
        Points of all rings, mm.
    ring : (R + 1,) int64
        Where each ring's points begin.
    picked : (n, 2) int64
        The first ring of each region, and the end of its rings.
    """
    nested, start, polygon, item = _nest(xy, ring, picked)
    return region.from_rings(nested, start, polygon, item, len(picked))


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
