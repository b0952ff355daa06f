"""Broad thin flats on supports: nothing holds their edges down, so they lift as they cool."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, to_bed

BROAD = 15.0  # mm both ways
FEW = 3.0  # mm over it, more is stiff enough to stay flat
HELD_ROUND = 0.5  # of its edges: a flat that goes out from the part along more of them has no edge to lift
CLOSE = 0.1  # mm of gap that the remedy leaves


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with such flats; one finding a part, at the broadest."""
    found = []
    for part, solid in evidence.first_of_each():
        flats = solid.resting.flats
        gap = float(solid.settings["supports.gap_above"])
        free = flats.root < HELD_ROUND * flats.round
        lifts = np.flatnonzero((flats.broad >= BROAD) & (flats.thick <= FEW) & free)
        if gap <= 0.0 or len(lifts) == 0:
            continue
        worst = int(lifts[np.argmax(flats.lies[lifts])])
        area, thick = float(flats.lies[worst]), float(flats.thick[worst])
        fix = Fix(f"Narrow the gap under {part.name}", {"supports.gap_above": CLOSE}) if gap > CLOSE else None
        found.append(
            Finding(
                "support-curls",
                "warn",
                part.title,
                *evidence.layer_of(part, int(flats.layer[worst])),
                to_bed(part, flats.at[worst]),
                round(area, 3),
                "mm²",
                f"{area:.0f} mm² of {part.title}, {thick:.1f} mm thick, lie flat on supports: the edges may lift",
                "narrow the gap above, turn the part so that the flat leans, or stand it on the bed",
                *part.ids,
                fix,
            )
        )
    return found
