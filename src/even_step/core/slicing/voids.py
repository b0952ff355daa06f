"""What of one layer of a part was to be plastic and is not."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from even_step.core.plane import cut, region
from even_step.core.plane.region import Regions
from even_step.core.toolpath.toolpath import Toolpath

LEAST_AREA = 0.02  # mm²; smaller ones are corners that a round line end cannot reach
HAIR = 0.02  # mm; along an edge nothing thinner is a void: so much may lines lie off it


def deepest_texture(*settings: Mapping[str, Any]) -> float:
    """Return how deep texture is at the most by what holds of a part and in its zones, mm; 0 for none."""
    return max(float(one.get("texture.depth", 0.0)) for one in settings)


def void_pieces(toolpath: Toolpath, layer: int, part: int, dense: Regions, skin: Regions) -> Regions:
    """Return the voids of a placed part in a layer, piece by piece, without what of them is thinner than a hair.

    Parameters
    ----------
    toolpath
        Of the whole job, bed frame.
    layer, part
        Numbers of the layer and of the placed part.
    dense : (1,) regions
        What is to be full: its walls and full layers, bed frame, mm.
    skin : (1,) regions
        Where voids are meant, for texture moves walls to and fro; those that lie in it wholly are left out.
    """
    first, last = int(toolpath.layer[layer]), int(toolpath.layer[layer + 1])
    mine = np.flatnonzero(toolpath.part[first:last] == part) + first
    spans = [np.arange(toolpath.start[p], toolpath.start[p + 1]) for p in mine]
    counts = np.concatenate(([0], np.cumsum([len(span) for span in spans]))).astype(np.int64)
    points = toolpath.xy[np.concatenate(spans)] if spans else np.zeros((0, 2))
    laid = cut.stroked(points, counts, toolpath.width[mine].astype(np.float64))
    bare, _ = region.pieces(region.difference(dense, np.array([laid], object)))
    bare = bare[region.area(bare) >= LEAST_AREA]
    pieces, _ = region.pieces(region.offset(region.offset(bare, -HAIR / 2), HAIR / 2))
    pieces = pieces[region.area(pieces) >= LEAST_AREA]
    return np.asarray(pieces[~region.covers(np.repeat(skin, len(pieces)), pieces)], object)
