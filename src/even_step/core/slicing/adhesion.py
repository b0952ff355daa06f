"""Stage 8: what is laid round the parts first."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import adhesion as keys
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.ragged import Rings
from even_step.core.plane.region import Regions

MOST_LOOPS = 100


@dataclass(frozen=True)
class AdhesionSettings:
    """What kind, and how far, how many, how long, how wide; mm."""

    kind: Annotated[str, keys.KIND]
    loops: Annotated[int, keys.SKIRT_LOOPS]
    distance: Annotated[float, keys.SKIRT_DISTANCE]
    least_length: Annotated[float, keys.SKIRT_LENGTH]
    width: Annotated[float, keys.LINE_WIDTH]


@dataclass(frozen=True, eq=False)
class Adhesion:
    """Loops on the first layer, outermost first, bed frame; and their line width, mm."""

    rings: Rings
    width: float


def adhesion(footprints: list[object], height: float, settings: AdhesionSettings) -> Adhesion:
    """Lay a skirt round the first layer of all parts.

    Parameters
    ----------
    footprints
        The placed first layers, one region a part.
    height
        Thickness of the first layer, mm.
    settings
        Kind ``none`` gives no loops.

    Notes
    -----
    Loops are added outward until the skirt is as long as it is to be, at most ``MOST_LOOPS``. Parts closer
    together than twice the distance share a loop; holes get none.
    """
    if settings.kind == "none" or not footprints:
        return Adhesion(region.rings(region.nothing(0)), settings.width)
    base = np.array([region.union_all(footprints)], object)
    step = float(plastic_width(settings.width, height))
    loops: list[Regions] = []
    length = 0.0
    while len(loops) < MOST_LOOPS and (len(loops) < settings.loops or length < settings.least_length):
        out = settings.distance + settings.width / 2 + len(loops) * step
        loop = region.without_holes(region.offset_round(base, out))
        loops.append(loop)
        length += float(region.perimeter(loop)[0])
    return Adhesion(region.rings(np.concatenate(loops[::-1])), settings.width)
