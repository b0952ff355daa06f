"""Lines wider than the machine usually lays them."""

from __future__ import annotations

from even_step.core.catalogue import CATALOGUE
from even_step.core.findings.finding import NOBODY, Evidence, Finding
from even_step.core.job.cascade import tool_of, tools_of

WIDTHS = tuple(setting for setting in CATALOGUE.values() if setting.limit == "line_width")


def check(evidence: Evidence) -> list[Finding]:
    """Warn of each width beyond what the nozzle is made for."""
    tables = [("", (0.0, 0.0), NOBODY, evidence.settings)]
    tables += [(part.title, part.at, part.ids, solid.settings) for part, solid in evidence.first_of_each()]
    told: set[tuple[str, float]] = set()
    found = []
    for title, at, ids, settings in tables:
        for setting in WIDTHS:
            width = float(settings[setting.key])
            nozzle = evidence.job.machine.extruders[tools_of(settings)[tool_of(setting)]]
            most = nozzle.line_width[1]
            if width <= most + 1e-9 or (setting.key, width) in told:
                continue
            told.add((setting.key, width))
            words = (
                f"{setting.label}: {width:g} mm is wider than the {most:g} mm a {nozzle.bore:g} mm nozzle usually lays"
            )
            remedy = "narrower lines; or print slower and warmer, with higher layers"
            found.append(Finding("line-wide", "warn", title, -1, 0.0, at, width, "mm", words, remedy, *ids))
    return found
