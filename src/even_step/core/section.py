"""What of one layer was to be plastic and is not: the voids that a section marks."""

from __future__ import annotations

import numpy as np

from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.plane.ragged import Rings
from even_step.core.slicing.voids import void_pieces
from even_step.core.toolpath.courses import PART


def layer_voids(sliced: Sliced, layer: int) -> Rings:
    """Return the rings of the voids within walls and full regions of a layer, bed frame, mm."""
    voids = []
    courses = sliced.toolpath.courses
    for course in np.flatnonzero((courses.layer == layer) & (courses.source == PART)):
        number, own = int(courses.part[course]), int(courses.number[course])
        part = sliced.placed[number]
        dense = region.shifted(sliced.solids[part.solid].dense(own)[0], *part.at)
        voids.append(void_pieces(sliced.toolpath, layer, number, np.array([dense], object)))
    return region.rings(np.concatenate(voids) if voids else region.nothing(0))
