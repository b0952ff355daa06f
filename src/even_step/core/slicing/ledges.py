"""Stage 5, over air: bottoms that are held on one side alone. Their lines run along that side, the first lies on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.hatch import Hatch, Strokes, hatch
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.bridges import LEAST_WIDTH
from even_step.core.work import Crew

ONE_SIDED = 0.25  # sides of a square as large as the bottom, between its middle and that of what holds it
HAIR = 0.02  # mm


@dataclass(frozen=True, eq=False)
class Ledges:
    """Ledges found in some divisions.

    Attributes
    ----------
    division : (n,) int64
        The division each lies in, not falling.
    shape : (n,) regions
        What is laid as a ledge, with the strip of one line that lies on what holds it.
    angle : (n,) float64
        Direction of its lines, degrees; it is held at the right hand of that direction.
    """

    division: Index
    shape: Regions
    angle: NDArray[np.float64]


def find_ledges(bottom: Regions, below: Regions, inner: Regions, width: float) -> Ledges:
    """Find ledges among bottoms.

    Parameters
    ----------
    bottom : (D,) regions
        What lies over air and is no bridge, mm.
    below : (D,) regions
        Outline of the layer below; empty where that is the bed.
    inner : (D,) regions
        The inside of the walls.
    width
        Of the lines, mm.
    """
    # Slivers along walls, which rounding leaves, would be held all along.
    parts, owner = region.pieces(region.offset(region.offset(bottom, -width / 2), width / 2))
    wide = (region.mean_width(parts) >= LEAST_WIDTH) & ~region.is_empty(below)[owner]
    parts, owner = parts[wide], owner[wide]
    # What touches by a hair is not held, so the strip begins a hair within.
    near = region.intersection(region.offset(parts, width), inner[owner])
    strip = region.difference(region.intersection(near, below[owner]), region.offset(parts, HAIR))
    area = region.area(parts)
    held = region.area(strip) >= width**2
    parts, owner, strip, area = parts[held], owner[held], strip[held], area[held]
    away = region.centres(parts) - region.centres(strip) if len(parts) else np.empty((0, 2))
    one_sided = np.hypot(*away.T) > ONE_SIDED * np.sqrt(area)
    parts, owner, strip, away = parts[one_sided], owner[one_sided], strip[one_sided], away[one_sided]
    angle = np.array([_along(strip[i : i + 1], away[i]) for i in range(len(strip))])
    return Ledges(owner, region.union(parts, region.offset(strip, HAIR)), angle)


def _along(strip: Regions, away: NDArray[np.float64]) -> float:
    """Return the direction in which a strip is longest, degrees, with ``away`` to its left."""
    rings = region.rings(strip)
    follows = np.arange(1, len(rings.xy) + 1)
    follows[rings.start[1:] - 1] = rings.start[:-1]
    step = rings.xy[follows] - rings.xy
    weight = np.hypot(*step.T)
    middle = (rings.xy + rings.xy[follows]) / 2 - region.centres(strip)
    _, axes = np.linalg.eigh((middle * weight[:, None]).T @ middle)
    x, y = axes[:, 1]
    side = 1.0 if x * away[1] - y * away[0] >= 0.0 else -1.0
    return float(np.degrees(np.arctan2(side * y, side * x)))


def lay_ledges(ledges: Ledges, spacing: NDArray[np.float64], join_within: float, crew: Crew) -> Strokes:
    """Lay the lines of ledges row by row from what holds them; a cell of the strokes is a ledge.

    Parameters
    ----------
    ledges
        Which.
    spacing : (n,) float64
        Of the lines of each, mm.
    join_within
        How many spacings ends of neighbouring lines may lie apart to be joined.
    """
    rings = region.rings(ledges.shape)
    turn = np.radians(ledges.angle)
    across = rings.xy[:, 1] * np.repeat(np.cos(turn)[rings.item], np.diff(rings.start))
    across -= rings.xy[:, 0] * np.repeat(np.sin(turn)[rings.item], np.diff(rings.start))
    begin = np.full(len(turn), np.inf)
    np.minimum.at(begin, np.repeat(rings.item, np.diff(rings.start)), across)
    none = np.zeros(len(turn))
    how = Hatch(ledges.angle, spacing, (0.0, 0.0), none, join_within * spacing, phase=begin + spacing / 2)
    return hatch(rings, how, crew)
