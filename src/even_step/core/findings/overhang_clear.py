"""What hangs and is left alone because a hand keeps it clear, or because supports would mark a face that is seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed

LEAST_AREA = 1.0  # mm²


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part what is kept clear, and which show faces cost more marks than they may."""
    found = []
    for part, solid in evidence.first_of_each():
        marked = solid.under.marked
        area = np.where(marked.clear, solid.under.facets.area, 0.0)
        for seen in (False, True):
            mine = np.where(marked.show == seen, area, 0.0)
            if mine.sum() >= LEAST_AREA:
                found.append(_finding(evidence, part, solid, mine, seen=seen))
    return found


def _finding(
    evidence: Evidence, part: PlacedPart, solid: SlicedSolid, area: NDArray[np.float64], *, seen: bool
) -> Finding:
    facets, amount = solid.under.facets, float(area.sum())
    worst = int(np.argmax(area))
    layer = min(int(np.searchsorted(solid.heights.cuts, facets.low[worst])), len(solid.heights.cuts) - 1)
    words = f"{amount:.0f} mm² of {part.title} hang and are kept clear by hand"
    remedy, fix = "take the mark away, or turn the part", None
    if seen:
        words = f"{amount:.0f} mm² of show faces of {part.title} hang, and nothing holds them"
        remedy = "turn the part, or let supports touch them"
        more = float(solid.settings["supports.show_contact"]) + float(np.ceil(amount))
        fix = Fix(f"Let supports touch show faces of {part.name}", {"supports.show_contact": more})
    return Finding(
        "overhang-clear",
        "warn" if seen else "note",
        part.title,
        *evidence.layer_of(part, layer),
        to_bed(part, facets.middle[worst]),
        round(amount, 3),
        "mm²",
        f"{words}, at {facets.low[worst]:.1f} mm",
        remedy,
        *part.ids,
        fix,
    )
