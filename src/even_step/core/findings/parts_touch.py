"""Parts that run into each other."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, PlacedPart
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.slicing.heights import Heights


def check(evidence: Evidence) -> list[Finding]:
    """Find every pair of parts whose layers share ground."""
    boxes = np.array([_box(evidence, part) for part in evidence.placed]).reshape(-1, 6)
    found = []
    for i in range(len(boxes)):
        near = ((boxes[i, :3] <= boxes[i + 1 :, 3:]) & (boxes[i, 3:] >= boxes[i + 1 :, :3])).all(axis=1)
        for j in np.flatnonzero(near) + i + 1:
            finding = _pair(evidence, evidence.placed[i], evidence.placed[int(j)])
            found += [finding] if finding else []
    return found + [one for part in evidence.placed for one in _on_tower(evidence, part)]


def _on_tower(evidence: Evidence, part: PlacedPart) -> list[Finding]:
    """Tell of a part that the purge tower stands in."""
    solid, tower = evidence.solids[part.solid], evidence.tower
    if region.is_empty(tower)[0]:
        return []
    low, high = solid.mesh.bounds
    dx, dy = part.at
    around = np.array([region.rectangle(low[0] + dx, low[1] + dy, high[0] + dx, high[1] + dy)], object)
    if not region.touches(around, tower)[0]:
        return []
    whole = region.shifted(region.union_all(solid.outlines.outline), *part.at)
    shared = region.intersection(np.array([whole], object), tower)
    area = float(region.area(shared)[0])
    if area <= 0.0:
        return []
    at = region.centres(shared)[0]
    return [
        Finding(
            "parts-touch",
            "stop",
            part.title,
            *evidence.layer_of(part, 0),
            (round(float(at[0]), 3), round(float(at[1]), 3)),
            round(area, 3),
            "mm²",
            f"{part.title} and the purge tower run into each other",
            "move one of them, or let the tower find its place",
            *part.ids,
        )
    ]


def _box(evidence: Evidence, part: PlacedPart) -> tuple[float, ...]:
    low, high = evidence.solids[part.solid].mesh.bounds
    dx, dy = part.at
    return low[0] + dx, low[1] + dy, low[2], high[0] + dx, high[1] + dy, high[2]


def _pair(evidence: Evidence, a: PlacedPart, b: PlacedPart) -> Finding | None:
    """Return the first layer in which two parts meet."""
    first, second = evidence.solids[a.solid], evidence.solids[b.solid]
    mine, theirs = _beside(first.heights, second.heights)
    pairs = np.stack((first.outlines.which[mine], second.outlines.which[theirs]), axis=1)
    unique, seen = np.unique(pairs, axis=0, return_index=True)
    order = np.argsort(seen)
    for (i, j), place in zip(unique[order], seen[order], strict=True):
        one = region.shifted(first.outlines.outline[i], *a.at)
        other = region.shifted(second.outlines.outline[j], *b.at)
        shared = region.intersection(np.array([one], object), np.array([other], object))
        area = float(region.area(shared)[0])
        if area > 0:
            at = region.centres(shared)[0]
            return Finding(
                "parts-touch",
                "stop",
                a.title,
                *evidence.layer_of(a, int(mine[place])),
                (round(float(at[0]), 3), round(float(at[1]), 3)),
                round(area, 3),
                "mm²",
                f"{a.title} and {b.title} run into each other",
                "move one of them, or arrange the parts",
                *a.ids,
            )
    return None


def _beside(a: Heights, b: Heights) -> tuple[Index, Index]:
    """Return which layers of two parts share some height, pair by pair upward."""
    ends = np.unique(np.concatenate((a.top, b.top)))
    ends = ends[(ends > max(a.base, b.base)) & (ends <= min(a.top[-1], b.top[-1]))]
    return np.searchsorted(a.top, ends), np.searchsorted(b.top, ends)
