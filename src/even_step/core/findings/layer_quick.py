"""Layers that take less than their least time although they are laid as slowly as allowed."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import NOBODY, Evidence, Finding

LEAST_SHARE = 0.95  # of the time: less than a twentieth is not worth a word
FEW = 3  # layers, such as a tip has


def check(evidence: Evidence) -> list[Finding]:
    """Tell how many layers have no time to grow firm, each its own, and which lacks most of it."""
    least, time = evidence.plan.wanted, evidence.plan.layer_time
    laid = np.diff(evidence.toolpath.layer) > 0
    quick = np.flatnonzero(laid & (time < LEAST_SHARE * least))
    if len(quick) <= FEW:
        return []
    layer = int(quick[np.argmin(time[quick] / least[quick])])
    first = int(evidence.toolpath.layer[layer])
    at, part = evidence.toolpath.xy[evidence.toolpath.start[first]], int(evidence.toolpath.part[first])
    return [
        Finding(
            "layer-quick",
            "warn",
            evidence.placed[part].title if part >= 0 else "",
            layer,
            float(evidence.toolpath.top[layer]),
            (round(float(at[0]), 3), round(float(at[1]), 3)),
            round(float(time[layer]), 3),
            "s",
            f"{len(quick)} of {laid.sum()} layers take less than their least time although they are laid as slowly as "
            f"allowed, the worst {time[layer]:.1f} s instead of {least[layer]:.3g}: they stay soft",
            "print several at once, or lower the least speed",
            *(evidence.placed[part].ids if part >= 0 else NOBODY),
        )
    ]
