"""Zones whose walls are not laid, for no edge of their part lies in them."""

from __future__ import annotations

from even_step.core.catalogue import walls
from even_step.core.findings.finding import Evidence, Finding, SlicedSolid
from even_step.core.plane import region

KEYS = {setting.key for setting in walls.ALL}


def check(evidence: Evidence) -> list[Finding]:
    """Tell each zone with walls of its own that holds no stretch of an outline."""
    zones = {part.id: part.zones for part in evidence.job.parts}
    return [
        Finding(
            "setting-idle",
            "note",
            part.title,
            -1,
            0.0,
            part.at,
            0.0,
            "",
            f"walls have no effect in zone {zone.title} of {part.name}: no edge of the part lies in it",
            "let it reach an edge, or make it denser instead",
            *part.ids,
        )
        for part, solid in evidence.first_of_each()
        for number, zone in enumerate(zones[part.part])
        if KEYS & zone.settings.keys() and number not in solid.idle_zones and _lies_inside(solid, number)
    ]


def _lies_inside(solid: SlicedSolid, zone: int) -> bool:
    """Tell whether a zone lies within its part, clear of all its edges."""
    outlines = solid.outlines.outline[solid.outlines.which]
    prints = solid.prints.outline[solid.prints.which[zone]]
    return bool(region.touches(outlines, prints).any()) and not region.edges_touch(outlines, prints).any()
