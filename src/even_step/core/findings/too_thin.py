"""Features too thin for the narrowest line: left out, or thickened on wish."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, PlacedPart, SlicedSolid, to_bed
from even_step.core.plane import region

LEAST_AREA = 0.05  # mm², sharp corners lose less than this


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part what of its outlines no line fits into; one finding at the largest place."""
    found = []
    for part, solid in evidence.first_of_each():
        finding = _largest(evidence, part, solid) if solid.wall.count else None
        found += [finding] if finding else []
    return found


def _largest(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> Finding | None:
    pieces, owner = region.pieces(solid.walls.lost)
    area = region.area(pieces)
    large = np.flatnonzero(area >= LEAST_AREA)
    settings = solid.wall
    first_of = np.unique(solid.walls.which, return_index=True)
    layer_of = dict(zip(*(some.tolist() for some in first_of), strict=True))
    narrowest = np.array([settings.bounds(float(solid.heights.thick[layer_of[k]])).narrowest for k in owner[large]])
    thicknesses = region.thickness(pieces[large])
    # What is thick enough for a line and has none was lost for another reason, which the voids tell.
    thin = large[thicknesses < narrowest]
    if len(thin) == 0:
        return None
    worst = int(thin[np.argmax(area[thin])])
    layers = np.flatnonzero(np.isin(solid.walls.which, np.unique(owner[thin])))
    layer = int(layer_of[owner[worst]])
    thick, least = float(thicknesses[large == worst][0]), float(narrowest[large == worst][0])
    where = "a layer" if len(layers) == 1 else f"{len(layers)} layers"
    done = f"are laid {least:g} mm wide" if settings.thicken else "are left out"
    return Finding(
        "too-thin",
        "note" if settings.thicken else "warn",
        part.title,
        *evidence.layer_of(part, layer),
        to_bed(part, region.centres(pieces)[worst]),
        round(thick, 3),
        "mm",
        f"{part.title} has features {thick:.2f} mm thin in {where}: below {least:g} mm no line fits, they {done}",
        "a finer nozzle"
        if settings.thicken
        else f"draw it {least:g} mm thick, lay one line where too thin, or fit a finer nozzle",
        *part.ids,
    )
