"""Zones whose heat is not heard, for they take no whole layer."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding

KEY = "heat.nozzle"


def check(evidence: Evidence) -> list[Finding]:
    """Tell each zone with a heat of its own that no layer has."""
    found = []
    for part in {one.part: one for one in reversed(evidence.placed)}.values():
        zones = next(one.zones for one in evidence.job.parts if one.id == part.part)
        for zone in zones:
            asked = zone.settings.get(KEY)
            if asked is None or asked == evidence.settings[KEY] or (evidence.heats == asked).any():
                continue
            found.append(
                Finding(
                    "setting-idle",
                    "note",
                    part.title,
                    -1,
                    0.0,
                    part.at,
                    0.0,
                    "",
                    f"Nozzle temperature has no effect in zone {zone.title} of {part.name}: no layer lies wholly in it",
                    "make it hold whole layers of all that lies on the bed",
                    *part.ids,
                )
            )
    return found
