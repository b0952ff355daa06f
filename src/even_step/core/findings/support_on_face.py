"""Supports that stand on the part and mark it."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, to_bed

LEAST = 2.0  # mm²


def check(evidence: Evidence) -> list[Finding]:
    """Find parts that supports stand on; one finding a part, where most of them do."""
    found = []
    for part, solid in evidence.first_of_each():
        removal = solid.removal
        if removal.stands < LEAST:
            continue
        x, y, z = removal.stands_at
        tree = solid.settings["supports.kind"] == "tree"
        found.append(
            Finding(
                "support-on-face",
                "note",
                part.title,
                *evidence.layer_of(part, solid.layer_at(z)),
                to_bed(part, np.array([x, y])),
                round(removal.stands, 3),
                "mm²",
                f"supports stand on {removal.stands:.0f} mm² of {part.title} and leave marks there",
                "hold it by trees, which lean in from the bed where they can, or turn the part",
                *part.ids,
                None if tree else Fix(f"Hold {part.name} by trees", {"supports.kind": "tree"}),
            )
        )
    return found
