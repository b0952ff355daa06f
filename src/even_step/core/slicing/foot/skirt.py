"""The skirt: what is laid round all parts first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import skirt
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.ragged import Rings
from even_step.core.plane.region import Regions

MOST_LOOPS = 100


@dataclass(frozen=True)
class SkirtSettings:
    """How many loops, how far off, how long in all, how wide; mm."""

    loops: Annotated[int, skirt.LOOPS]
    distance: Annotated[float, skirt.DISTANCE]
    least_length: Annotated[float, skirt.LEAST_LENGTH]
    width: Annotated[float, skirt.LINE_WIDTH]


@dataclass(frozen=True, eq=False)
class Skirt:
    """Loops on the first layer, outermost first, bed frame; width and height of their line, mm."""

    rings: Rings
    width: float
    height: float


def lay_skirt(footprints: list[object], height: float, settings: SkirtSettings) -> Skirt:
    """Lay a skirt round the first layer of all parts.

    Parameters
    ----------
    footprints
        What lies on the bed, placed: first layers and feet.
    height
        Thickness of the first layer, mm.
    settings
        Without loops there is none, however long it is to be.

    Notes
    -----
    Loops are added outward until the skirt is as long as it is to be, at most ``MOST_LOOPS``. Parts closer
    together than twice the distance share a loop; holes get none.
    """
    if settings.loops == 0 or not footprints:
        return Skirt(region.rings(region.nothing(0)), settings.width, height)
    base = np.array([region.union_all(footprints)], object)
    step = float(plastic_width(settings.width, height))
    loops: list[Regions] = []
    length = 0.0
    while len(loops) < MOST_LOOPS and (len(loops) < settings.loops or length < settings.least_length):
        out = settings.distance + settings.width / 2 + len(loops) * step
        loop = region.without_holes(region.offset_round(base, out))
        loops.append(loop)
        length += float(region.perimeter(loop)[0])
    return Skirt(region.rings(np.concatenate(loops[::-1])), settings.width, height)
