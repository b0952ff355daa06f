"""Zones that touch nothing of their part."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding, SlicedSolid
from even_step.core.plane import region


def check(evidence: Evidence) -> list[Finding]:
    """Tell each zone within which nothing of its part lies, and why where that is known."""
    zones = {part.id: part.zones for part in evidence.job.parts}
    return [
        Finding(
            "zone-empty",
            "note",
            part.title,
            -1,
            0.0,
            part.at,
            0.0,
            "",
            f"zone {zone.title} touches nothing of {part.name}" + (f": {because}" if because else ""),
            "move it onto the part, or take it away",
            *part.ids,
        )
        for part, solid in evidence.first_of_each()
        for number, zone in enumerate(zones[part.part])
        for because in (solid.idle_zones.get(number, ""),)
        if because or not _touches(solid, number)
    ]


def _touches(solid: SlicedSolid, zone: int) -> bool:
    outlines, prints = solid.outlines, solid.prints
    return bool(region.touches(outlines.outline[outlines.which], prints.outline[prints.which[zone]]).any())
