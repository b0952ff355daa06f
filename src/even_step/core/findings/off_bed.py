"""A part that hangs off the bed."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, misplaced
from even_step.core.job.room import beyond, surely_on

TOLERANCE = 0.001  # mm


def check(evidence: Evidence) -> list[Finding]:
    """Find every part with a vertex beyond the edge of the bed."""
    bed = evidence.job.machine.bed
    found: list[Finding] = []
    for part in evidence.placed:
        mesh = evidence.solids[part.solid].mesh
        if surely_on(bed, mesh.bounds[:, :2] + part.at):
            continue
        xy = mesh.vertices[:, :2] + part.at
        off = beyond(bed, xy)
        worst = int(np.argmax(off))
        if off[worst] > TOLERANCE:
            amount = float(off[worst])
            words = f"reaches {amount:.1f} mm off the bed"
            found.append(
                misplaced(part, xy[worst], amount, "mm", words, "move, turn or scale it, or arrange the parts")
            )
    return found
