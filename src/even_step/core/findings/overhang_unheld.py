"""What hangs past the machine's limit and has nothing beneath: ceilings, free arms and slopes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid, hold, to_bed
from even_step.core.plane import region
from even_step.core.slicing.bridged import bridged

LEAST_AREA = 1.0  # mm²; a line holds on to its neighbours over less


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part how much hangs that nothing holds; one finding, at the largest patch of it."""
    found = []
    for part, solid in evidence.first_of_each():
        area = _unheld(solid)
        if area.sum() >= LEAST_AREA:
            found.append(_finding(evidence, part, solid, area))
    return found


def _unheld(solid: SlicedSolid) -> NDArray[np.float64]:
    """Return what of each facet that is not kept clear neither supports hold nor a bridge spans, mm²."""
    hangs = solid.under.facets
    area = solid.unheld
    area[solid.under.marked.clear] = 0.0
    flat = np.flatnonzero(hangs.flat & (area > 0))
    spans = bridged(solid.covers, solid.wall, float(solid.settings["bridges.longest"]))
    layer = np.searchsorted(solid.heights.cuts, hangs.low[flat])
    corners = hangs.corners[flat, :, :2]
    triangles = region.of_triangles(corners) if len(flat) else region.nothing(0)
    for number in np.unique(layer):
        if number in spans:
            some = np.flatnonzero(layer == number)
            held = np.array([spans[number]] * len(some), object)
            bare = ~region.covers(held, triangles[some])  # to ask takes a fraction of cutting
            left = np.zeros(len(some))
            left[bare] = region.area(region.difference(triangles[some][bare], held[bare]))
            area[flat[some]] = np.minimum(area[flat[some]], left)
    return area


def _finding(evidence: Evidence, part: PlacedPart, solid: SlicedSolid, area: NDArray[np.float64]) -> Finding:
    hangs, cuts = solid.under.facets, solid.heights.cuts
    patches = np.bincount(hangs.patch, area)
    largest = int(np.argmax(patches))
    mine = np.flatnonzero(hangs.patch == largest)
    mine = mine[area[mine] > 0]
    worst = int(mine[np.argmax(area[mine])])
    layer = min(int(np.searchsorted(cuts, hangs.low[mine].min())), len(cuts) - 1)
    count = int((patches >= LEAST_AREA).sum())
    where = "" if count < 2 else f", in {count} places, {patches[largest]:.0f} mm² of it"
    return Finding(
        "overhang-unheld",
        "warn",
        part.title,
        *evidence.layer_of(part, layer),
        to_bed(part, hangs.middle[worst]),
        round(float(area.sum()), 3),
        "mm²",
        f"{area.sum():.0f} mm² of {part.title} hang past the machine's limit with nothing beneath{where} "
        f"at {hangs.low[mine].min():.1f} mm",
        "turn the part, or hold this with supports",
        *part.ids,
        hold(part, solid),
    )
