"""Slits between outlines that touch almost: bodies of an assembly, faceted each in its own way, leave them.

Lines would be laid twice along both of their sides, and moving in thousands of short facing edges costs a second a
layer. No nozzle lays a gap so narrow.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.plane.segments import edges_of, grid_of

WIDEST = 0.048  # mm; a gap of 0.05 stays one
ALONG = 0.5  # mm: sides of one ring that are nearer to each other along it are a corner, no slit
CELL = 0.5  # mm
SEAM = 0.002  # mm, by which what closes a slit reaches into both sides
BEND = 0.005  # mm, how far a point that a closed slit leaves may lie off a straight line


def without_slits(regions: Regions) -> tuple[Regions, NDArray[np.bool_]]:
    """Close what is narrower than ``WIDEST`` between outlines.

    Returns
    -------
    regions, changed
        Regions without slits are returned as they are, and ``changed`` says which were not, (n,).
    """
    slit = _slitted(regions)
    if not slit.any():
        return regions, slit
    out = regions.copy()
    # Most slits are holes that go whole, at a hundredth of what it costs to move the outline about them.
    out[slit] = some = region.simplified(_without_narrow_holes(regions[slit]), BEND)
    left = _slitted(some)
    if left.any():
        some[left] = _closed(some[left])
        out[slit] = some
    return out, slit


def _slitted(regions: Regions) -> NDArray[np.bool_]:
    """Tell which regions have a slit."""
    rings = region.rings(regions)
    return np.asarray(_with_slits(rings.xy, rings.start, rings.starts_by_item(len(regions)), WIDEST))


def _without_narrow_holes(some: Regions) -> Regions:
    """Fill the holes that are nowhere as wide as a slit may be."""
    holes = region.holes(some)
    narrow = region.mean_width(holes) <= WIDEST
    narrow[narrow] = region.is_empty(region.offset(holes[narrow], -WIDEST / 2))
    return region.without(some, narrow)


def _closed(some: Regions) -> Regions:
    """Fill the slits of some regions; what they are otherwise stays."""
    filled = region.offset(region.offset(some, WIDEST / 2), -WIDEST / 2)
    parts, owner = region.pieces(region.difference(filled, some))
    thin = region.mean_width(parts) <= WIDEST
    slits = region.gathered(parts[thin], owner[thin], len(some))
    whole = region.union(some, region.offset(slits, SEAM))
    return region.simplified(whole, BEND)


def equal_ones(regions: Regions, some: NDArray[np.bool_]) -> Index:
    """Return for each region the first of ``some`` that is the same as it; itself for all others, (n,)."""
    out = np.arange(len(regions))
    seen: dict[bytes, int] = {}
    for i in np.flatnonzero(some):
        out[i] = seen.setdefault(shapely.to_wkb(shapely.normalize(regions[i])), int(i))
    return out


@kernel
def _with_slits(xy, start, of_item, widest):  # type: ignore[no-untyped-def]
    """Tell which regions have a corner that lies so near another edge, with air in between.

    Where two straight sides come nearest to each other, one of the two points is a corner.
    """
    count = of_item.shape[0] - 1
    out = np.zeros(count, np.bool_)
    for item in range(count):
        first_ring, last_ring = of_item[item], of_item[item + 1]
        if first_ring == last_ring:
            continue
        base = start[first_ring]
        edges = edges_of(xy, start[first_ring : last_ring + 1])
        frame, first, inside = grid_of(edges, CELL)
        total = edges.shape[0]
        ring = np.empty(total, np.int64)
        along = np.empty(total)  # from the ring's first point to each point
        whole = np.empty(last_ring - first_ring)
        for r in range(first_ring, last_ring):
            length = 0.0
            for p in range(start[r], start[r + 1]):
                e = p - base
                if p > start[r]:
                    length += np.hypot(edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1])
                ring[e] = r
                along[e] = length
            e = start[r] - base
            whole[r - first_ring] = length + np.hypot(edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1])
        for p in range(total):
            if _is_at_slit(edges, frame, first, inside, ring, along, whole, first_ring, p, widest):
                out[item] = True
                break
    return out


@kernel
def _is_at_slit(edges, frame, first, inside, ring, along, whole, first_ring, p, widest):  # type: ignore[no-untyped-def]
    """Whether the point at the end of edge ``p`` lies right outside another edge."""
    x, y = edges[p, 2], edges[p, 3]
    columns, rows = int(frame[3]), int(frame[4])
    a = max(0, int((x - widest - frame[0]) / frame[2]))
    b = min(columns - 1, int((x + widest - frame[0]) / frame[2]))
    c = max(0, int((y - widest - frame[1]) / frame[2]))
    d = min(rows - 1, int((y + widest - frame[1]) / frame[2]))
    for gy in range(c, d + 1):
        for gx in range(a, b + 1):
            g = gy * columns + gx
            for k in range(first[g], first[g + 1]):
                e = inside[k]
                ux, uy = edges[e, 2] - edges[e, 0], edges[e, 3] - edges[e, 1]
                px, py = x - edges[e, 0], y - edges[e, 1]
                long = ux * ux + uy * uy
                if long == 0.0 or ux * py - uy * px >= 0.0:
                    continue  # the point is in the material
                share = min(max((px * ux + py * uy) / long, 0.0), 1.0)
                far = (px - share * ux) ** 2 + (py - share * uy) ** 2
                if far >= widest * widest or far < 1e-12:
                    continue
                if ring[e] == ring[p]:
                    size = whole[ring[p] - first_ring]
                    way = abs(along[e] - along[p])
                    if min(way, size - way) < ALONG:
                        continue
                return True
    return False
