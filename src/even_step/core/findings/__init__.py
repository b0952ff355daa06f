"""What could go wrong: one file a check, each with ``check(evidence)``."""

from dataclasses import replace

from even_step.core.findings import (
    bridge_long,
    by_hand_idle,
    floating,
    foot_small,
    head_strikes,
    height_rounded,
    holes_none,
    kept_free,
    layer_quick,
    line_wide,
    not_printed,
    off_bed,
    open_mesh,
    outside_volume,
    overhang_clear,
    overhang_unheld,
    part_slim,
    parts_touch,
    setting_idle,
    spike_thin,
    support_curls,
    support_cut,
    support_grips_weak,
    support_on_face,
    support_slim,
    support_trapped,
    texture_inside,
    too_thin,
    top_lost,
    top_sags,
    vase_broken,
    void,
    zone_empty,
    zone_idle,
)
from even_step.core.findings.finding import Evidence, Finding
from even_step.core.work import ALONE, Crew

CHECKS = (
    off_bed,
    not_printed,
    kept_free,
    outside_volume,
    parts_touch,
    head_strikes,
    open_mesh,
    vase_broken,
    too_thin,
    top_lost,
    void,
    floating,
    overhang_unheld,
    overhang_clear,
    by_hand_idle,
    foot_small,
    layer_quick,
    line_wide,
    bridge_long,
    top_sags,
    support_slim,
    support_cut,
    support_trapped,
    support_curls,
    part_slim,
    height_rounded,
    support_grips_weak,
    spike_thin,
    support_on_face,
    setting_idle,
    texture_inside,
    holes_none,
    zone_empty,
    zone_idle,
)
RANK = {"stop": 0, "warn": 1, "note": 2}


def findings(evidence: Evidence, crew: Crew = ALONE) -> list[Finding]:
    """Run every check; the gravest first."""
    each = [(k, k + 1) for k in range(len(CHECKS))]
    found = [finding for one in crew.each(lambda k, _: CHECKS[k].check(evidence), each) for finding in one]
    return [_with_zone(evidence, one) for one in sorted(found, key=lambda one: RANK[one.severity])]


def _with_zone(evidence: Evidence, finding: Finding) -> Finding:
    """Say in which zone of its part the place of a finding lies; where several lie over one another, in the last."""
    placed = next((one for one in evidence.placed if one.ids == (finding.part_id, finding.copy_id)), None)
    zones = next((part.zones for part in evidence.job.parts if part.id == finding.part_id), ())
    if not zones or placed is None or finding.layer < 0:
        return finding
    solid = evidence.solids[placed.solid]
    x, y = finding.at_mm[0] - placed.at[0], finding.at_mm[1] - placed.at[1]
    held = solid.zones_at(solid.layer_at(finding.z_mm), (x, y))
    if not held:
        return finding
    title = zones[held[-1]].title
    return replace(finding, zone=title, message=f"{finding.message} (in zone {title})")
