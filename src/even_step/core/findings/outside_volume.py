"""A toolpath that leaves the build volume: too tall, or laid or lifted beyond its edges."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import NOBODY, Evidence, Finding
from even_step.core.job.room import beyond, surely_on

TOLERANCE = 0.001  # mm


def check(evidence: Evidence) -> list[Finding]:
    """Find parts that are too tall, and lines (the skirt too) that reach off the bed."""
    return _too_tall(evidence) + _off_the_edge(evidence)


def _too_tall(evidence: Evidence) -> list[Finding]:
    height = evidence.job.machine.height
    found = []
    for part in evidence.placed:
        solid = evidence.solids[part.solid]
        reach = float(solid.heights.top[-1]) + evidence.lift
        if reach > height + TOLERANCE:
            found.append(
                Finding(
                    "outside-volume",
                    "stop",
                    part.title,
                    *evidence.layer_of(part, len(solid.heights.top) - 1),
                    part.at,
                    round(reach - height, 3),
                    "mm",
                    f"{part.title} needs {reach:.1f} mm of height, the machine has {height:g} mm",
                    "lay it down or scale it",
                    *part.ids,
                )
            )
    return found


def _off_the_edge(evidence: Evidence) -> list[Finding]:
    path = evidence.toolpath
    if len(path.xy) == 0:
        return []
    bed = evidence.job.machine.bed
    x, y = path.xy.T  # one by one is ten times as fast as both along an axis
    bounds = np.array([(x.min(), y.min()), (x.max(), y.max())])
    if surely_on(bed, bounds, float(path.width.max()) / 2):
        return []
    off = beyond(bed, path.xy) + np.repeat(path.width / 2, np.diff(path.start))
    worst = int(np.argmax(off))
    if off[worst] <= TOLERANCE:
        return []
    number = int(np.searchsorted(path.start, worst, side="right")) - 1
    layer = int(np.searchsorted(path.layer, number, side="right")) - 1
    part = int(path.part[number])
    name = evidence.placed[part].title if part >= 0 else "skirt"
    amount = float(off[worst])
    return [
        Finding(
            "outside-volume",
            "stop",
            name,
            layer,
            float(path.top[layer]),
            (round(float(path.xy[worst, 0]), 3), round(float(path.xy[worst, 1]), 3)),
            round(amount, 3),
            "mm",
            f"lines of {name} reach {amount:.2f} mm off the bed",
            "bring the skirt nearer or leave it out" if part < 0 else "move the part inward",
            *(evidence.placed[part].ids if part >= 0 else NOBODY),
        )
    ]
