"""A part that hangs off the bed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import Evidence, Finding, misplaced
from even_step.core.job.model import Bed

TOLERANCE = 0.001  # mm


def check(evidence: Evidence) -> list[Finding]:
    """Find every part with a vertex beyond the edge of the bed."""
    bed = evidence.job.machine.bed
    found: list[Finding] = []
    for part in evidence.placed:
        if _surely_on(bed, evidence.solids[part.solid].mesh.bounds[:, :2] + part.at):
            continue
        xy = evidence.solids[part.solid].mesh.vertices[:, :2] + part.at
        if bed.shape == "round":
            beyond = np.hypot(*(xy - bed.centre).T) - bed.size[0] / 2
        else:
            x0, y0, x1, y1 = bed.bounds
            beyond = np.max(np.concatenate(((x0, y0) - xy, xy - (x1, y1)), axis=1), axis=1)
        worst = int(np.argmax(beyond))
        if beyond[worst] > TOLERANCE:
            amount = float(beyond[worst])
            words = f"reaches {amount:.1f} mm off the bed"
            found.append(
                misplaced(part, xy[worst], amount, "mm", words, "move, turn or scale it, or arrange the parts")
            )
    return found


def _surely_on(bed: Bed, box: NDArray[np.float64]) -> bool:
    """Tell from a part's bounds alone that it lies on the bed."""
    if bed.shape == "round":
        return float(np.hypot(*np.abs(box - bed.centre).max(axis=0))) <= bed.size[0] / 2
    x0, y0, x1, y1 = bed.bounds
    return bool((box >= (x0, y0)).all() and (box <= (x1, y1)).all())
