"""Stage 5, over air: what of the bottoms is held at both ends becomes a bridge of free strands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges as keys
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.plane.spans import best_span
from even_step.core.work import Crew, runs_of

LEAST_WIDTH = 1.0  # mm, what is narrower is the overhang of a slope
LEAST_HELD = 0.6  # of the lines' length: less is no bridge


@dataclass(frozen=True)
class BridgeSettings:
    """How far the lines of a bridge lie on what holds them, mm; ``bore`` is the nozzle's."""

    anchor: Annotated[float, keys.ANCHOR]
    bore: float


@dataclass(frozen=True, eq=False)
class Bridges:
    """Bridges found in some divisions.

    Attributes
    ----------
    division : (B,) int64
        The division each lies in, not falling.
    shape : (B,) regions
        What is laid as a bridge, with what lies on its holds.
    angle : (B,) float64
        Direction of its lines, degrees.
    longest : (B,) float64
        Its longest free span, mm.
    """

    division: Index
    shape: Regions
    angle: NDArray[np.float64]
    longest: NDArray[np.float64]


def find_bridges(bottom: Regions, below: Regions, inner: Regions, settings: BridgeSettings, crew: Crew) -> Bridges:
    """Find bridges among bottoms.

    Parameters
    ----------
    bottom : (D,) regions
        What lies over air, mm.
    below : (D,) regions
        Outline of the layer below; empty where that is the bed.
    inner : (D,) regions
        The inside of the walls: bridges may reach there.
    """
    parts, owner = region.pieces(bottom)
    wide = 2 * region.area(parts) / np.maximum(region.perimeter(parts), 1e-9) >= LEAST_WIDTH
    wide &= ~region.is_empty(below)[owner]
    parts, owner = parts[wide], owner[wide]

    def look(first: int, last: int) -> list[tuple[float, float, float]]:
        spans = [best_span(parts[i : i + 1], below[owner[i] : owner[i] + 1]) for i in range(first, last)]
        return [(span.angle, span.held, span.longest) for span in spans]

    found = [one for run in crew.each(look, runs_of(region.size_in_points(parts), most=2_000)) for one in run]
    spans = np.array(found, np.float64).reshape(-1, 3)
    held = spans[:, 1] >= LEAST_HELD
    grown = region.offset(parts[held], settings.anchor)
    shape = region.intersection(grown, inner[owner[held]])
    return Bridges(owner[held], shape, spans[held, 0], spans[held, 2])
