"""Supports that the part shuts in."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, to_bed

LEAST = 0.5  # mm³


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with supports that no way leads out from; one finding a part, where most of them are."""
    found = []
    for part, solid in evidence.first_of_each():
        removal = solid.removal
        if removal.trapped < LEAST:
            continue
        x, y, z = removal.trapped_at
        found.append(
            Finding(
                "support-trapped",
                "warn",
                part.title,
                *evidence.layer_of(part, solid.layer_at(z)),
                to_bed(part, np.array([x, y])),
                round(removal.trapped, 3),
                "mm³",
                f"{removal.trapped:.0f} mm³ of supports are shut in by {part.title} and cannot be got out",
                "turn the part so that the hollow needs none, or leave what hangs in it unheld",
                *part.ids,
                _from_bed(part.name, str(solid.settings["supports.from"])),
            )
        )
    return found


def _from_bed(name: str, stands: str) -> Fix | None:
    return Fix(f"Hold {name} from the bed alone", {"supports.from": "bed"}) if stands != "bed" else None
