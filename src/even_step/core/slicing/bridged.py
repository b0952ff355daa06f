"""What bridges hold: undersides that need no support."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import bridges, supports
from even_step.core.plane import region
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.walls import WallSettings

FLAT_REACH = 0.5  # mm by which the anchors of a bridge reach past it, besides the walls


@dataclass(frozen=True)
class SpareSettings:
    """Whether supports leave bridges alone, and how far those hold, mm."""

    asked: Annotated[bool, supports.SPARE_BRIDGES]
    longest: Annotated[float, bridges.LONGEST]


def bridged(covers: Covers, wall: WallSettings, longest: float) -> dict[int, region.Geometry]:
    """Return what the bridges of each layer hold, walls and anchors with them, by layer.

    Only bridges whose free span is no longer than ``longest`` mm hold.
    """
    found = covers.bridges
    short = found.longest <= longest + 0.01
    reach = FLAT_REACH + wall.outer_width + wall.count * wall.line_width
    out: dict[int, region.Geometry] = {}
    for division in np.unique(found.division[short]):
        shapes = region.offset(found.shape[short & (found.division == division)], reach)
        whole = region.union_all(shapes)
        out |= dict.fromkeys(np.flatnonzero(covers.which == division).tolist(), whole)
    return out
