"""A part that stands on little: a foot would hold it."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, Severity, SlicedSolid, to_bed
from even_step.core.plane import region

SLENDER = 12.0  # heights to the side of a square as large as the contact
TOP_HEAVY = 4.0  # mean sections to the contact


def check(evidence: Evidence) -> list[Finding]:
    """Find parts whose contact is small for their height or their weight, or whose first layer holds nothing."""
    found = []
    for part, solid in evidence.first_of_each():
        finding = _small(evidence, part, solid)
        found += [finding] if finding else []
    return found


def _small(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> Finding | None:
    span = evidence.laid_span(part)
    tall = float(solid.mesh.bounds[1, 2])
    if span is None or tall <= 0.0:
        return None
    first = solid.outlines.outline[solid.outlines.which[:1]]
    contact = float(region.area(first).sum())
    remedy = "turn it onto a larger face, or give it a brim"
    at = to_bed(part, region.centres(first)[0]) if contact > 0 else part.at
    if span[0] > 0:
        words = f"the first {span[0]} layers" if span[0] > 1 else "the first layer"
        message = f"{words} of {part.title} hold no line, so it would begin in the air"
        return _finding(part, "warn", float(solid.heights.top[0]), at, contact, message, remedy)
    mean = float(region.area(solid.outlines.outline)[solid.outlines.which].mean())
    held = solid.settings["foot.kind"] != "bare"
    if held or (tall <= SLENDER * np.sqrt(contact) and mean <= TOP_HEAVY * contact):
        return None
    message = f"{part.title} stands on {contact:.3g} mm² and is {tall:.3g} mm tall: it may come loose"
    brim = Fix(f"Give {part.name} a brim", {"foot.kind": "brim"})
    return _finding(part, "note", float(solid.heights.top[0]), at, contact, message, remedy, brim)


def _finding(
    part: PlacedPart,
    severity: Severity,
    z: float,
    at: tuple[float, float],
    contact: float,
    message: str,
    remedy: str,
    fix: Fix | None = None,
) -> Finding:
    return Finding(
        "foot-small", severity, part.title, 0, z, at, round(contact, 3), "mm²", message, remedy, *part.ids, fix
    )
