"""Texture that gets inside through an opening wider than is to let it in."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, to_bed
from even_step.core.slicing.mouths import widest_mouth

STEP = 0.5  # mm


def check(evidence: Evidence) -> list[Finding]:
    """Tell of each rough part the opening that lets texture in, and the width that would keep it out."""
    found = []
    for part, solid in evidence.first_of_each():
        width = float(solid.settings["texture.opening_width"])
        if not solid.settings["texture.depth"] or not width or solid.settings["vase.on"]:
            continue
        mouth = widest_mouth(solid.outlines.outline, width)
        if mouth is None:
            continue
        enough = math.ceil(mouth.width / STEP + 1e-9) * STEP
        layer = int(np.flatnonzero(solid.outlines.which == mouth.outline)[0])
        words = f"texture gets inside {part.title} by an opening {mouth.width:.1f} mm wide"
        told = Finding(
            "texture-inside",
            "note",
            part.title,
            *evidence.layer_of(part, layer),
            to_bed(part, np.array(mouth.at)),
            round(mouth.width, 3),
            "mm",
            words,
            f"let it stay out of openings of {enough:g} mm",
            *part.ids,
        )
        fix = Fix(f"Keep it out of {enough:g} mm", {"texture.opening_width": enough})
        found.append(replace(told, fix=fix))
    return found
