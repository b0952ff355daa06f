"""Columns of supports that are slim for their height: the nozzle knocks them over."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed

SLENDER = 12.0  # heights to the width
LOW = 8.0  # mm, a lower column stands well however slim
WIDEST = 20.0  # mm, that the remedy widens to


def check(evidence: Evidence) -> list[Finding]:
    """Find each part's slimmest column, where it is too slim."""
    found = []
    for part, solid in evidence.first_of_each():
        slim = solid.slimness
        column = slim.slimmest
        if column >= 0 and slim.height[column] > max(LOW, SLENDER * slim.width[column]):
            found.append(_finding(evidence, part, solid, column))
    return found


def _finding(evidence: Evidence, part: PlacedPart, solid: SlicedSolid, column: int) -> Finding:
    slim = solid.slimness
    width, height = float(slim.width[column]), float(slim.height[column])
    count = int((slim.height > np.maximum(LOW, SLENDER * slim.width)).sum())
    more = f"; {count - 1} more are too slim" if count > 1 else ""
    wide = float(np.ceil(2.0 * height / SLENDER) / 2.0)
    key = "supports.branch_size" if solid.settings["supports.kind"] == "tree" else "supports.slim_width"
    more_than_now = float(solid.settings[key]) < wide <= WIDEST
    fix = Fix(f"Widen columns under {part.name}", {key: wide}) if more_than_now else None
    top = float(slim.bottom[column]) + height
    return Finding(
        "support-slim",
        "warn",
        part.title,
        *evidence.layer_of(part, solid.layer_at(top)),
        to_bed(part, slim.at[column]),
        round(height, 3),
        "mm",
        f"a column under {part.title} is {height:.1f} mm tall and {width:.1f} mm wide: it may be knocked over{more}",
        f"widen columns to {wide:g} mm, or lay supports slower",
        *part.ids,
        fix,
    )
