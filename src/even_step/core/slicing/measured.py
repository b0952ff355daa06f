"""Outlines measured for narrow walls: how thick the region is all along, ready to be followed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane.ragged import Index, Rings, distinct
from even_step.core.plane.thickness import net_of, thickness
from even_step.core.plane.trace import ring_areas
from even_step.core.plane.valid import SLIVER
from even_step.core.slicing.laid import chosen


@dataclass(frozen=True, eq=False)
class Measured:
    """One region's outline.

    Attributes
    ----------
    net
        Its edges in a grid, for kernels.
    polygon : (R,) int64
        Which polygon each ring belongs to, counted from 0.
    samples
        Points along it with the way each moves when it is moved in, the edge after each, where rings begin, thickness
        (mm, as far as ``most``), whether that was measured there or taken from beside a corner, and the centre of the
        largest circle that touches it, mm.
    kind, room : (N,)
        What each sample lies on, and how far it may be moved in, mm.
    mate : (N,) int64
        The sample that its largest circle touches across, −1 for none that faces it.
    most : float
        As far as this thickness is known, mm.
    """

    net: Any
    polygon: Index
    samples: Any
    kind: Index
    room: NDArray[np.float64]
    mate: Index
    most: float

    @property
    def least(self) -> float:
        """Where it is thinnest, mm."""
        return float(self.samples[3].min(initial=np.inf))


def measured(rings: Rings, first: int, last: int, spacing: float, most: float) -> Measured:
    """Measure the region whose rings are ``first`` up to ``last``, every ``spacing`` mm, as far as ``most`` mm."""
    begin, end = int(rings.start[first]), int(rings.start[last])
    xy, start = rings.xy[begin:end], rings.start[first : last + 1] - begin
    polygon = rings.polygon[first:last] - (rings.polygon[first] if last > first else 0)
    xy, start = distinct(xy, start)
    # A hole that comes from rounding is none, and may touch what is round it.
    kept = np.flatnonzero((np.diff(polygon, prepend=-1) != 0) | (ring_areas(xy, start) <= -SLIVER))
    if len(kept) < len(polygon):
        polygon = polygon[kept]
        start, place = chosen(start, kept)
        xy = xy[place]
    net = net_of(xy, start)
    at, kind, edge, starts, room, thick, sure, mate, centre = thickness(net, start, spacing, most)
    return Measured(net, polygon, (at, edge, starts, thick, sure, centre), kind, room, mate, most)
