"""Spikes that hang down and are thinner than the support they begin on: they come off with it."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed

THIN = 2.0  # mm, a thicker spike holds
LEAST_TIP = 0.2  # mm, of a branch


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with such spikes; one finding a part, at the thinnest."""
    found = []
    for part, solid in evidence.first_of_each():
        spikes = solid.resting.spikes
        thin = np.flatnonzero((spikes.wide < THIN) & (spikes.wide < spikes.contact))
        if len(thin):
            worst = int(thin[np.argmin(spikes.wide[thin])])
            found.append(_finding(evidence, part, solid, worst, len(thin)))
    return found


def _finding(evidence: Evidence, part: PlacedPart, solid: SlicedSolid, worst: int, count: int) -> Finding:
    spikes = solid.resting.spikes
    wide, contact = float(spikes.wide[worst]), float(spikes.contact[worst])
    more = f"; {count - 1} more are as thin" if count > 1 else ""
    return Finding(
        "spike-thin",
        "note",
        part.title,
        *evidence.layer_of(part, int(spikes.layer[worst])),
        to_bed(part, spikes.at[worst]),
        round(wide, 3),
        "mm",
        f"a spike of {part.title}, {wide:.1f} mm thick, begins on a support {contact:.1f} mm wide and may come off "
        f"with it{more}",
        "hold it by a thinner tip, or turn the part so that it points up",
        *part.ids,
        _fix(part, solid, wide),
    )


def _fix(part: PlacedPart, solid: SlicedSolid, wide: float) -> Fix | None:
    if solid.settings["supports.kind"] != "tree":
        return Fix(f"Hold {part.name} by trees", {"supports.kind": "tree"})
    tip = max(LEAST_TIP, float(np.floor(10.0 * wide / 2.0)) / 10.0)
    thinner = tip < float(solid.settings["supports.tip_size"])
    return Fix(f"Thinner tips under {part.name}", {"supports.tip_size": tip}) if thinner else None
