"""Parts whose height is no whole number of layers."""

from __future__ import annotations

from even_step.core.findings.finding import Evidence, Finding


def check(evidence: Evidence) -> list[Finding]:
    """Tell where a part's height could not be met, for parts share their layers."""
    told = []
    for part, solid in evidence.first_of_each():
        tall = float(solid.mesh.bounds[1, 2])
        count = len(solid.contours.which)
        off = evidence.layer_top(count - 1) - tall if count else -tall
        if abs(off) > 0.01:
            told.append(
                Finding(
                    "height-rounded",
                    "note",
                    part.title,
                    max(0, count - 1),
                    tall + off,
                    part.at,
                    round(off, 3),
                    "mm",
                    f"{part.title} is {tall:.2f} mm tall and comes out {tall + off:.2f} mm",
                    "thinner layers, or a height that is a whole number of layers",
                )
            )
    return told
