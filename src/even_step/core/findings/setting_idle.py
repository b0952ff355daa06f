"""Settings that the job changes although something else it chooses leaves them without effect."""

from __future__ import annotations

from collections.abc import Sequence

from even_step.core.catalogue import find_setting
from even_step.core.findings.finding import NOBODY, Evidence, Finding, PlacedPart, SlicedSolid
from even_step.core.idle import RULES, Idle, Values, idle
from even_step.core.plane import region


def check(evidence: Evidence) -> list[Finding]:
    """Tell each setting that the job, a part or a zone changes from its default and that has no effect there."""
    solids = evidence.first_of_each()
    told: list[Finding] = []
    first = {part.part: part for part in reversed(evidence.placed)}
    # What the job changes may have its effect in one part alone.
    here: dict[str, list[Values]] = {}
    for one in evidence.job.parts:
        own = evidence.solids[first[one.id].solid].settings
        here[one.id] = [own, *({**own, **zone.holds} for zone in one.zones)]
    everywhere = [values for tables in here.values() for values in tables] or [evidence.settings]
    told += _idle(evidence, None, evidence.job.settings, everywhere)
    for one in evidence.job.parts:
        told += _idle(evidence, first[one.id], one.settings, here[one.id])
        for zone, values in zip(one.zones, here[one.id][1:], strict=True):
            told += _idle(evidence, first[one.id], zone.settings, [values], f" in zone {zone.title}")
    for part, solid in solids:
        if solid.settings["infill.grading"] != "none" and not _idle_for(
            "infill.grading", [solid.settings], evidence.bore
        ):
            told += _too_small_to_grade(part, solid)
    return told


def _idle_for(key: str, tables: Sequence[Values], bore: float) -> Idle | None:
    """Return why a setting has no effect in any of some tables of values."""
    found = [idle(key, values, bore) for values in tables]
    return found[0] if found and all(found) else None


def _idle(
    evidence: Evidence, placed: PlacedPart | None, changed: Values, tables: Sequence[Values], where: str = ""
) -> list[Finding]:
    """Tell what of the settings of the job, a part or a zone has no effect in any of some tables of values."""
    title, at, ids = (placed.name, placed.at, placed.ids) if placed else ("", (0.0, 0.0), NOBODY)
    found = []
    for key in dict.fromkeys(key for rule in RULES for key in rule.keys):
        if key not in changed or changed[key] == find_setting(key).default:
            continue
        rule = _idle_for(key, tables, evidence.bore)
        if rule:
            message = f"{find_setting(key).label} has no effect{where}: {rule.because}"
            found.append(Finding("setting-idle", "note", title, -1, 0.0, at, 0.0, "", message, rule.remedy, *ids))
    return found


def _too_small_to_grade(part: PlacedPart, solid: SlicedSolid) -> list[Finding]:
    """Tell of a part that has nowhere room for a larger cell."""
    depth = float(solid.settings["infill.grading_depth"])
    deep = region.offset(solid.covers.room, -depth) if solid.settings["infill.grading"] == "walls" else None
    tall = float(solid.mesh.bounds[1, 2])
    if not ((deep is None and tall <= depth) or (deep is not None and region.is_empty(deep).all())):
        return []
    words = f"{part.title} is too small for its infill to grow sparser: all of it lies within {depth:g} mm"
    remedy = "a smaller depth, or no grading"
    return [Finding("setting-idle", "note", part.title, -1, 0.0, part.at, depth, "mm", words, remedy, *part.ids)]
