"""What of one layer was to be plastic and is not: the voids that a section marks."""

from __future__ import annotations

import numpy as np

from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.plane.ragged import Rings

LEAST_AREA = 0.02  # mm²; smaller ones are corners that a round line end cannot reach


def layer_voids(sliced: Sliced, layer: int) -> Rings:
    """Return the rings of the voids within walls and full regions of a layer, bed frame, mm."""
    path = sliced.toolpath
    first, last = int(path.layer[layer]), int(path.layer[layer + 1])
    voids = []
    for number, part in enumerate(sliced.placed):
        solid = sliced.solids[part.solid]
        if layer >= len(solid.outlines.which):
            continue
        outline = solid.outlines.outline[solid.outlines.which[[layer]]]
        room = solid.covers.room[solid.covers.which[[layer]]]
        dense = region.shifted(region.difference(outline, room)[0], *part.at)
        mine = np.flatnonzero(path.part[first:last] == number) + first
        spans = [np.arange(path.start[p], path.start[p + 1]) for p in mine]
        counts = np.concatenate(([0], np.cumsum([len(span) for span in spans]))).astype(np.int64)
        points = path.xy[np.concatenate(spans)] if spans else np.zeros((0, 2))
        laid = region.stroked(points, counts, path.width[mine].astype(np.float64))
        voids.append(region.difference(np.array([dense], object), np.array([laid], object))[0])
    pieces, _ = region.pieces(np.array(voids, object))
    return region.rings(pieces[region.area(pieces) >= LEAST_AREA])
