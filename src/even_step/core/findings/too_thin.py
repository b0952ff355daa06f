"""Features too thin for the outermost line, which are left out."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid, on_bed
from even_step.core.plane import region

LEAST_AREA = 0.05  # mm², sharp corners lose less than this


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part what of its outlines no line fits into; one finding at the largest place."""
    if evidence.walls.count == 0:
        return []
    found = []
    for part, solid in evidence.first_of_each():
        finding = _largest(evidence, part, solid)
        found += [finding] if finding else []
    return found


def _largest(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> Finding | None:
    half = evidence.walls.outer_width / 2
    sets = np.flatnonzero(solid.walls.narrow)
    if len(sets) == 0:
        return None
    outline = solid.outlines.outline[solid.walls.outline[sets]]
    # Round, for a sharp corner is not thin: its tip lies within a line's rounding.
    reached = region.offset_round(region.offset(outline, -half), half * np.sqrt(2))
    pieces, owner = region.pieces(region.difference(outline, reached))
    area = region.area(pieces)
    if len(area) == 0 or area.max() < LEAST_AREA:
        return None
    worst = int(np.argmax(area))
    layers = np.flatnonzero(np.isin(solid.walls.which, sets[np.unique(owner[area >= LEAST_AREA])]))
    layer = int(np.flatnonzero(solid.walls.which == sets[owner[worst]])[0])
    thick = float(region.thickness(pieces[worst : worst + 1])[0])
    where = "a layer" if len(layers) == 1 else f"{len(layers)} layers"
    return Finding(
        "too-thin",
        "warn",
        part.title,
        layer,
        evidence.layer_top(layer),
        on_bed(part, region.centres(pieces)[worst]),
        round(thick, 3),
        "mm",
        f"{part.title} has features {thick:.2f} mm thin in {where}: no line of "
        f"{evidence.walls.outer_width:g} mm fits, they are left out",
        "a narrower outer line, or a finer nozzle",
    )
