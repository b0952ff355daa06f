"""Heights that are no whole number of layers: of parts, and of flats within them."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid, to_bed
from even_step.core.mesh.measure import flat_facets

TOLERANCE = 0.01  # mm
LEAST_AREA = 1.0  # mm² of flats at one height


def check(evidence: Evidence) -> list[Finding]:
    """Tell where a part's height could not be met, and that of flats inside it."""
    told = []
    for part, solid in evidence.first_of_each():
        tall = float(solid.mesh.bounds[1, 2])
        count = len(solid.heights.top)
        off = float(solid.heights.tops[-1]) - tall
        if abs(off) > TOLERANCE:
            told.append(
                Finding(
                    "height-rounded",
                    "note",
                    part.title,
                    *evidence.layer_of(part, count - 1),
                    part.at,
                    round(off, 3),
                    "mm",
                    f"{part.title} is {tall:.2f} mm tall and comes out {tall + off:.2f} mm",
                    "thinner layers, or a height that is a whole number of layers",
                    *part.ids,
                )
            )
        finding = _flats(evidence, part, solid, tall)
        told += [finding] if finding else []
    return told


def _flats(evidence: Evidence, part: PlacedPart, solid: SlicedSolid, tall: float) -> Finding | None:
    """Tell the flat that comes out farthest from where it is drawn."""
    mesh, tops = solid.mesh, solid.heights.tops
    flat = flat_facets(mesh)
    low = mesh.vertices[mesh.faces[flat, 0], 2]
    inside = (low > TOLERANCE) & (low < tall - TOLERANCE)
    flat, low = flat[inside], low[inside]
    if len(flat) == 0:
        return None
    corners = mesh.vertices[mesh.faces[flat]]
    one, other = corners[:, 1, :2] - corners[:, 0, :2], corners[:, 2, :2] - corners[:, 0, :2]
    area = np.abs(one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]) / 2
    heights, level = np.unique(np.round(low, 3), return_inverse=True)
    large = np.bincount(level, area) >= LEAST_AREA
    above = np.clip(np.searchsorted(tops, heights), 0, len(tops) - 1)
    below = np.maximum(above - 1, 0)
    nearest = np.where(np.abs(tops[above] - heights) <= np.abs(tops[below] - heights), above, below)
    off = np.where(large, tops[nearest] - heights, 0.0)
    missed = np.flatnonzero(np.abs(off) > TOLERANCE)
    if len(missed) == 0:
        return None
    worst = int(missed[np.argmax(np.abs(off[missed]))])
    mine = np.flatnonzero(level == worst)
    middle = corners[mine[np.argmax(area[mine])], :, :2].mean(axis=0)
    flats = "a flat" if len(missed) == 1 else f"{len(missed)} flats"
    return Finding(
        "height-rounded",
        "note",
        part.title,
        *evidence.layer_of(part, int(nearest[worst])),
        to_bed(part, middle),
        round(float(off[worst]), 3),
        "mm",
        f"{flats} inside {part.title} between layers: {heights[worst]:.2f} mm comes out {tops[nearest[worst]]:.2f} mm",
        "a layer height that divides these heights, or thinner layers",
        *part.ids,
    )
