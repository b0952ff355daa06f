"""A mesh with holes too wide to close silently."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, to_bed


def check(evidence: Evidence) -> list[Finding]:
    """Find parts whose outlines had to be closed over gaps wider than allowed; one finding a part."""
    found = []
    for part, solid in evidence.first_of_each():
        gaps = solid.contours.gaps
        if len(gaps) == 0:
            continue
        worst = gaps[int(np.argmax(gaps[:, 1]))]
        layers = len(np.unique(gaps[:, 0]))
        found.append(
            Finding(
                "open-mesh",
                "warn",
                part.title,
                *evidence.layer_of(part, int(worst[0])),
                to_bed(part, worst[2:4]),
                round(float(worst[1]), 3),
                "mm",
                f"the surface of {part.title} is torn: gaps up to {worst[1]:.1f} mm wide in {layers} layers "
                "were closed by straight lines",
                "mend the model, or look at these layers",
                *part.ids,
            )
        )
    return found
