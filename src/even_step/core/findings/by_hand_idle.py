"""Posts and marks that do nothing."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, hold, to_bed


def check(evidence: Evidence) -> list[Finding]:
    """Tell each post and mark that has no effect, and why."""
    found = []
    posts = {part.id: part.posts for part in evidence.job.parts}
    for part, solid in evidence.first_of_each():
        marked = solid.under.marked
        if solid.settings["supports.kind"] == "none" and (posts[part.part] or marked.hold.any()):
            words = f"posts and marks on {part.name} wait: supports are off"
            found.append(_finding(evidence, part, (0.0, 0.0, 0.0), words, "choose supports", hold(part, solid)))
            continue
        for what, because, at in marked.idle:
            words = f"{what} on {part.name} does nothing: {because}"
            found.append(_finding(evidence, part, at, words, "put it on a surface that hangs, or take it away"))
    return found


def _finding(
    evidence: Evidence,
    part: PlacedPart,
    at: tuple[float, float, float],
    words: str,
    remedy: str,
    fix: Fix | None = None,
) -> Finding:
    solid = evidence.solids[part.solid]
    return Finding(
        "by-hand-idle",
        "warn",
        part.title,
        *evidence.layer_of(part, solid.layer_at(at[2] + solid.heights.base)),
        to_bed(part, np.array(at[:2])),
        0.0,
        "",
        words,
        remedy,
        *part.ids,
        fix,
    )
