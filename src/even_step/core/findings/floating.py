"""Islands with nothing under them, not even supports."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid, hold, to_bed
from even_step.core.plane import region


def check(evidence: Evidence) -> list[Finding]:
    """Find a part's islands that begin in the air; one finding a part, at the largest."""
    found = []
    for part, solid in evidence.first_of_each():
        finding = _largest(evidence, part, solid)
        found += [finding] if finding else []
    return found


def _largest(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> Finding | None:
    alone = np.flatnonzero(~solid.held.islands)
    if len(alone) == 0:
        return None
    layers, areas = solid.under.islands.layer[alone], region.area(solid.under.islands.shape[alone])
    order = np.lexsort((layers, -areas))  # of equal ones the lowest
    layer, piece, area = int(layers[order[0]]), solid.under.islands.shape[alone[order[:1]]], float(areas[order[0]])
    more = f"; {len(alone) - 1} smaller or higher ones do too" if len(alone) > 1 else ""
    return Finding(
        "floating",
        "warn",
        part.title,
        *evidence.layer_of(part, layer),
        to_bed(part, region.centres(piece)[0]),
        round(area, 3),
        "mm²",
        f"an island of {part.title}, {area:.3g} mm² large, begins in the air{more}",
        "turn the part, or hold the island with supports",
        *part.ids,
        hold(part, solid),
    )
