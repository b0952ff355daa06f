"""Bridges longer than lines hold over air."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, to_bed
from even_step.core.plane import region


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with bridges longer than they may be; one finding a part, at the longest."""
    found = []
    for part, solid in evidence.first_of_each():
        most = float(solid.settings["bridges.longest"])
        bridges = solid.covers.bridges
        long = np.flatnonzero(bridges.longest > most + 0.01)
        if len(long) == 0:
            continue
        worst = int(long[np.argmax(bridges.longest[long])])
        layer = int(np.flatnonzero(solid.covers.which == bridges.division[worst])[0])
        length = float(bridges.longest[worst])
        more = f", and {len(long) - 1} more" if len(long) > 1 else ""
        found.append(
            Finding(
                "bridge-long",
                "warn",
                part.title,
                *evidence.layer_of(part, layer),
                to_bed(part, region.centres(bridges.shape[worst : worst + 1])[0]),
                round(length, 3),
                "mm",
                f"a bridge of {part.title} spans {length:.1f} mm; they hold up to {most:g} mm{more}",
                "turn the part, or hold the bridge with supports",
                *part.ids,
            )
        )
    return found
