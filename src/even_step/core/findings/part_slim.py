"""Tall thin members of a part that sway under the nozzle before they join."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, to_bed

MOST = 0.2  # mm that a member may give way: half a line


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with members that give way too far; one finding a part, at the one that gives most."""
    found = []
    for part, solid in evidence.first_of_each():
        sway = solid.sway
        soft = np.flatnonzero(sway.gives > MOST)
        if len(soft) == 0:
            continue
        worst = int(soft[np.argmax(sway.gives[soft])])
        layer, gives = int(sway.layer[worst]), float(sway.gives[worst])
        tall = float(solid.heights.top[layer] - sway.foot[worst])
        more = f"; {len(soft) - 1} more sway too" if len(soft) > 1 else ""
        found.append(
            Finding(
                "part-slim",
                "warn",
                part.title,
                *evidence.layer_of(part, layer),
                to_bed(part, sway.at[worst]),
                round(gives, 3),
                "mm",
                f"a thin member of {part.title}, {tall:.1f} mm tall, gives way by {gives:.2g} mm under the nozzle"
                f"{more}",
                "lay the part, steady the member against another, or draw it thicker",
                *part.ids,
            )
        )
    return found
