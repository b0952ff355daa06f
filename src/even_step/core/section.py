"""What of one layer was to be plastic and is not: the voids that a section marks."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import PlacedPart
from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.plane.ragged import Rings
from even_step.core.plane.region import Regions
from even_step.core.slicing.voids import deepest_texture, void_pieces
from even_step.core.toolpath.courses import PART

BEYOND = 0.1  # mm, by which bands of texture are wider, so that what touches their edges lies within


def layer_voids(sliced: Sliced, layer: int) -> Rings:
    """Return the rings of the voids within walls and full regions of a layer, bed frame, mm."""
    voids = []
    courses = sliced.toolpath.courses
    for course in np.flatnonzero((courses.layer == layer) & (courses.source == PART)):
        number, own = int(courses.part[course]), int(courses.number[course])
        part = sliced.placed[number]
        solid = sliced.solids[part.solid]
        outline = solid.outlines.outline[solid.outlines.which[own : own + 1]]
        both = solid.dense(own), _skin(sliced, part, outline)
        placed = [np.array([region.shifted(one[0], *part.at)], object) for one in both]
        voids.append(void_pieces(sliced.toolpath, layer, number, *placed))
    return region.rings(np.concatenate(voids) if voids else region.nothing(0))


def _skin(sliced: Sliced, part: PlacedPart, whole: Regions) -> Regions:
    """Return where along an outline texture leaves voids: outside of its outer walls and within them, (1,)."""
    solid = sliced.solids[part.solid]
    zones = next(one.zones for one in sliced.job.parts if one.id == part.part)
    depth = deepest_texture(solid.settings, *(zone.settings for zone in zones))
    if depth == 0.0:
        return region.nothing(1)
    inner = float(solid.settings["walls.outer_line_width"])
    bands = ((-BEYOND, depth / 2), (inner - depth / 2, inner + BEYOND))
    outside, beside = (region.difference(region.offset(whole, -a), region.offset(whole, -b)) for a, b in bands)
    return region.union(outside, beside)
