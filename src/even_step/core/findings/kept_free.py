"""A part that stands over an area of the bed that is to stay free."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, misplaced
from even_step.core.layout.shadow import Shadow, shadow_of
from even_step.core.plane import region

LEAST = 0.5  # mm², less is the grain in which shadows are found


def check(evidence: Evidence) -> list[Finding]:
    """Find every part whose shadow falls on such an area."""
    found: list[Finding] = []
    shadows: dict[int, Shadow] = {}
    for area in evidence.job.layout.keep_out:
        kept = np.array([region.rectangle(*area)], object)
        for part in evidence.placed:
            if part.solid not in shadows:
                shadows[part.solid] = shadow_of(evidence.solids[part.solid].mesh)
            shadow = np.array([region.shifted(shadows[part.solid].shape, *part.at)], object)
            shared = region.intersection(shadow, kept)
            covered = float(region.area(shared)[0])
            if covered > LEAST:
                words = "stands over an area of the bed that is kept free"
                remedy = "move it, arrange the parts, or free the area"
                found.append(misplaced(part, region.centres(shared)[0], covered, "mm²", words, remedy))
    return found
