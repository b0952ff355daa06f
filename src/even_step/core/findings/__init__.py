"""What could go wrong: one file a check, each with ``check(evidence)``."""

from even_step.core.findings import (
    bridge_long,
    by_hand_idle,
    floating,
    foot_small,
    head_strikes,
    height_rounded,
    kept_free,
    layer_quick,
    line_wide,
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
    too_thin,
    top_lost,
    void,
    zone_empty,
)
from even_step.core.findings.finding import Evidence, Finding

CHECKS = (
    off_bed,
    kept_free,
    outside_volume,
    parts_touch,
    head_strikes,
    open_mesh,
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
    zone_empty,
)
RANK = {"stop": 0, "warn": 1, "note": 2}


def findings(evidence: Evidence) -> list[Finding]:
    """Run every check; the gravest first."""
    found = [finding for check in CHECKS for finding in check.check(evidence)]
    return sorted(found, key=lambda one: RANK[one.severity])
