"""Bridges longer than lines hold over air."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import Evidence, Finding, SlicedSolid, to_bed
from even_step.core.plane import region

HELD = 0.5  # of a bridge with its holds: what lies on supports so far is none


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with bridges longer than they may be; one finding a part, at the longest."""
    found = []
    for part, solid in evidence.first_of_each():
        most = float(solid.settings["bridges.longest"])
        bridges = solid.covers.bridges
        long = np.flatnonzero((bridges.longest > most + 0.01) & ~_held(solid))
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


def _held(solid: SlicedSolid) -> NDArray[np.bool_]:
    """Tell which bridges lie on supports."""
    bridges, flats = solid.covers.bridges, solid.resting.flats
    lies = np.bincount(flats.layer, flats.lies, minlength=len(solid.covers.which))
    by_division = np.zeros(len(solid.covers.walls))
    np.maximum.at(by_division, solid.covers.which, lies)
    return np.asarray(by_division[bridges.division] >= HELD * region.area(bridges.shape))
