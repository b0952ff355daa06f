"""Supports that are left out where another part, its foot or the tower stands."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding
from even_step.core.slicing.ordering import Blocks

LEAST = 0.02  # of a copy's supports


def check(evidence: Evidence) -> list[Finding]:
    """Find copies with less of supports than they want; one finding each."""
    found = []
    for part, left in zip(evidence.placed, evidence.standing, strict=True):
        whole = _length(evidence.solids[part.solid].supports.blocks)
        share = 1.0 - _length(left) / whole if whole > 0.0 else 0.0
        if share < LEAST:
            continue
        found.append(
            Finding(
                "support-cut",
                "warn",
                part.title,
                0,
                float(evidence.toolpath.top[0]),
                part.at,
                round(100.0 * share, 1),
                "%",
                f"{100 * share:.0f} % of the supports of {part.title} have no room beside what stands there",
                "move it further from its neighbours, or gather the parts with more room between them",
                *part.ids,
            )
        )
    return found


def _length(blocks: Blocks) -> float:
    """Return the length of the lines of all layers, mm."""
    paths = blocks.paths
    step = np.hypot(*np.diff(paths.xy, axis=0).T) if len(paths.xy) > 1 else np.empty(0)
    run = np.concatenate(([0.0], np.cumsum(step)))
    each = np.array([run[b - 1] - run[a] for a, b in zip(paths.start[:-1], paths.start[1:], strict=True)])
    along = np.concatenate(([0.0], np.cumsum(each)))[blocks.block]
    return float(np.diff(along)[blocks.which].sum())
