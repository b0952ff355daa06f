"""What lies within each zone of a part: volume, plastic, time, and the density that came out."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import SlicedSolid
from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.plane.cut import lengths_within
from even_step.core.plane.ragged import Points
from even_step.core.plane.region import Regions
from even_step.core.slicing.laid import chosen
from even_step.core.toolpath.roles import INFILL


def zones_of(sliced: Sliced, first: int) -> list[dict[str, Any]]:
    """Describe each zone of a part, of one copy: that with the number ``first`` on the bed."""
    placed = sliced.placed[first]
    part = next(one for one in sliced.job.parts if one.id == placed.part)
    if not part.zones:
        return []
    lines = _Lines(sliced, first)
    solid = sliced.solids[placed.solid]
    return [
        {"id": zone.id, "name": zone.name, "changed": dict(zone.holds), **_tally(solid, number, lines)}
        for number, zone in enumerate(part.zones)
    ]


class _Lines:
    """The lines of one copy by its own layers, in its solid's frame, and what each holds and takes."""

    def __init__(self, sliced: Sliced, number: int) -> None:
        path, plan = sliced.toolpath, sliced.plan
        self._sliced, self._at = sliced, np.array(sliced.placed[number].at)
        own = np.flatnonzero((path.part == number) & (path.own >= 0))
        order = own[np.argsort(path.own[own], kind="stable")]
        self._paths, self._layer = order, path.own[order]
        density = np.array([material.density for material in sliced.job.materials]) / 1000.0
        length = np.maximum(path.lengths()[order], 1e-9)
        volume = plan.volume[order]
        self._each = np.stack((volume, volume * density[path.extruder[order]], plan.path_time[order])) / length
        self._is_infill = path.role[order] == INFILL

    def within(self, layer: int, shape: region.Geometry, room: region.Geometry) -> NDArray[np.float64]:
        """Return volume (mm³), mass (g) and time (s) of what a layer has within a shape; and infill within a room."""
        first, last = np.searchsorted(self._layer, (layer, layer + 1))
        path = self._sliced.toolpath
        start, place = chosen(path.start, self._paths[first:last])
        xy: Points = path.xy[place] - self._at
        held = (self._each[:, first:last] * lengths_within(xy, start, shape)).sum(axis=1)
        infill = self._is_infill[first:last]
        some, points = chosen(start, np.flatnonzero(infill))
        filled = self._each[0, first:last][infill] * lengths_within(xy[points], some, room)
        return np.append(held, filled.sum())


def _tally(solid: SlicedSolid, zone: int, lines: _Lines) -> dict[str, float | None]:
    prints, thick = solid.prints, solid.heights.thick
    shapes = _met(solid.outlines.outline, solid.outlines.which, prints.outline, prints.which[zone])
    rooms = _met(solid.covers.room, solid.covers.which, prints.outline, prints.which[zone])
    held = np.zeros(4)
    for layer in np.flatnonzero(~region.is_empty(shapes)).tolist():
        held += lines.within(layer, shapes[layer], rooms[layer])
    volume, room = (float((region.area(some) * thick).sum()) for some in (shapes, rooms))
    return {
        "volume_mm3": volume,
        "plastic_mm3": float(held[0]),
        "mass_g": float(held[1]),
        "time_s": float(held[2]),
        "infill_density": 100.0 * float(held[3]) / room if room > 0.0 else None,
    }


def _met(some: Regions, which: NDArray[np.int64], others: Regions, where: NDArray[np.int64]) -> Regions:
    """Return what lies within both, layer by layer; equal pairs once."""
    pairs, place = np.unique(np.stack((which, where), axis=1), axis=0, return_inverse=True)
    return region.intersection(some[pairs[:, 0]], others[pairs[:, 1]])[place.ravel()]
