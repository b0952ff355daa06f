"""Thin flats that stand out from a part and that supports hold more firmly than they hold on to the part."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed
from even_step.core.job.cascade import tools_of
from even_step.core.plane.bead import plastic_width

LOOSE_FROM = 0.25  # mm of gap, from which on only sagging lines stick
SAGS = 0.05  # of the contact that sticks however wide the gap
WIDER = 0.05  # mm, a step of the remedy


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with such flats; one finding a part, at the one that is gripped most for its strength."""
    found = []
    for part, solid in evidence.first_of_each():
        flats = solid.resting.flats
        grip, holds = flats.lies * _sticks(solid), flats.root * flats.thick
        weak = np.flatnonzero((grip > holds) & (flats.root > 0.0))
        if len(weak):
            worst = int(weak[np.argmax(grip[weak] / holds[weak])])
            found.append(_finding(evidence, part, solid, worst, len(weak)))
    return found


def _sticks(solid: SlicedSolid) -> float:
    """Return what share of what lies on supports sticks to them: all where there is no gap, less the wider it is."""
    values = solid.settings
    tools = tools_of(values)
    if tools["contact"] != tools["walls"]:
        return 0.0
    gap = float(values["supports.gap_above"])
    return max(SAGS, 1.0 - gap / LOOSE_FROM) * _fullness(solid)


def _fullness(solid: SlicedSolid) -> float:
    """Return how much of a support's top is plastic."""
    values = solid.settings
    if int(values["supports.contact_layers"]) > 0:
        return float(values["supports.contact_density"]) / 100.0
    if float(values["supports.density"]) > 0.0:
        return float(values["supports.density"]) / 100.0
    apart = float(values["supports.line_distance"]) or float(values["bridges.longest"]) / 2.0
    return min(1.0, float(plastic_width(float(values["supports.line_width"]), float(values["layers.height"]))) / apart)


def _finding(evidence: Evidence, part: PlacedPart, solid: SlicedSolid, worst: int, count: int) -> Finding:
    flats = solid.resting.flats
    lies, holds = float(flats.lies[worst]), float(flats.root[worst] * flats.thick[worst])
    gap = round(float(solid.settings["supports.gap_above"]) + WIDER, 3)
    fix = Fix(f"Widen the gap under {part.name}", {"supports.gap_above": gap}) if gap <= LOOSE_FROM else None
    more = f"; {count - 1} more are gripped so" if count > 1 else ""
    return Finding(
        "support-grips-weak",
        "note",
        part.title,
        *evidence.layer_of(part, int(flats.layer[worst])),
        to_bed(part, flats.at[worst]),
        round(lies, 3),
        "mm²",
        f"supports grip {lies:.0f} mm² of a flat of {part.title} that hangs on {holds:.1f} mm² of plastic: it may "
        f"break as they come off{more}",
        "widen the gap above, or lay contact layers less dense",
        *part.ids,
        fix,
    )
