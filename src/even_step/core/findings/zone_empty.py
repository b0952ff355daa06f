"""Zones that touch nothing of their part."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding, SlicedSolid, about_whole
from even_step.core.plane import region


def check(evidence: Evidence) -> list[Finding]:
    """Tell each zone within which nothing of its part lies, and why where that is known."""
    found = []
    for part, solid, number, zone in evidence.zones():
        because = solid.idle_zones.get(number, "")
        if because or not _touches(solid, number):
            words = f"zone {zone.title} touches nothing of {part.name}" + (f": {because}" if because else "")
            found.append(about_whole(part, "zone-empty", "note", words, "move it onto the part, or take it away"))
    return found


def _touches(solid: SlicedSolid, zone: int) -> bool:
    outlines, prints = solid.outlines, solid.prints
    return bool(region.touches(outlines.outline[outlines.which], prints.outline[prints.which[zone]]).any())
