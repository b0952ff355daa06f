"""What zones ask for in vain: heat and layer height where they take no whole layer, walls where they hold no edge."""

from __future__ import annotations

from even_step.core.catalogue import heat, layers, walls
from even_step.core.findings.finding import Evidence, Finding, SlicedSolid, about_whole
from even_step.core.plane import region
from even_step.core.slicing.whole_layers import OPEN

OF_WALLS = {setting.key for setting in walls.ALL}


def check(evidence: Evidence) -> list[Finding]:
    """Tell what has no effect in each zone, and why."""
    found = []
    for part, solid, number, zone in evidence.zones():
        where = f"zone {zone.title} of {part.name}"
        asked = zone.settings.get(heat.NOZZLE.key)
        if asked not in (None, evidence.settings[heat.NOZZLE.key]) and not (evidence.heats == asked).any():
            words = f"{heat.NOZZLE.label} has no effect in {where}: no layer lies wholly in it"
            remedy = "make it hold whole layers of all that lies on the bed"
            found.append(about_whole(part, "setting-idle", "note", words, remedy))
        if layers.HEIGHT.key in zone.settings and number not in solid.idle_zones and not _takes_a_layer(solid, number):
            words = f"{layers.HEIGHT.label} has no effect in {where}: no layer lies wholly in it"
            remedy = "make it hold all of the part from where to where it is to be heard"
            found.append(about_whole(part, "setting-idle", "note", words, remedy))
        if OF_WALLS & zone.settings.keys() and number not in solid.idle_zones and _lies_inside(solid, number):
            words = f"walls have no effect in {where}: no edge of the part lies in it"
            remedy = "let it reach an edge, or make it denser instead"
            found.append(about_whole(part, "setting-idle", "note", words, remedy))
    return found


def _takes_a_layer(solid: SlicedSolid, zone: int) -> bool:
    """Tell whether all of some layer of a part lies in a zone."""
    outlines = solid.outlines.outline[solid.outlines.which]
    prints = solid.prints.outline[solid.prints.which[zone]]
    some = ~region.is_empty(prints) & ~region.is_empty(outlines)
    return bool((region.area(region.difference(outlines[some], prints[some])) <= OPEN).any())


def _lies_inside(solid: SlicedSolid, zone: int) -> bool:
    """Tell whether a zone lies within its part, clear of all its edges."""
    outlines = solid.outlines.outline[solid.outlines.which]
    prints = solid.prints.outline[solid.prints.which[zone]]
    return bool(region.touches(outlines, prints).any()) and not region.edges_touch(outlines, prints).any()
