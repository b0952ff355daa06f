"""True-size holes or bosses are asked for where nothing is round and upright."""

from __future__ import annotations

from even_step.core.catalogue import holes
from even_step.core.findings.finding import Evidence, Finding, about_whole


def check(evidence: Evidence) -> list[Finding]:
    """Tell it of a part that asks for itself, and of the job when no part has any."""
    found = []
    solids = evidence.first_of_each()
    own = {part.id: part.settings for part in evidence.job.parts}
    for setting, is_hole in ((holes.TRUE_SIZE, True), (holes.ROUND_BOSSES, False)):
        idle = [
            (part, not solid.few_sided.laid[:, solid.few_sided.rounds.hole == is_hole].any())
            for part, solid in solids
            if solid.settings[setting.key]
        ]
        words = f"{setting.label} has no effect: nothing round and upright from 0.8 mm on is found"
        for part, alone in idle:
            if alone and (setting.key in own[part.part] or all(one for _, one in idle)):
                found.append(about_whole(part, "setting-idle", "note", f"{words} in {part.title}", "turn it off"))
    return found
