"""What lies within each zone of a part: volume, plastic, time, and the density that came out."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import SlicedSolid
from even_step.core.pipeline import Sliced
from even_step.core.plane import region
from even_step.core.plane.parting import lengths_within
from even_step.core.plane.ragged import Index, Points
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
        own = np.flatnonzero((path.part == number) & (path.own >= 0))
        self.layer: Index = path.own[own].astype(np.int64)
        self._start, place = chosen(path.start, own)
        self._xy: Points = path.xy[place] - np.array(sliced.placed[number].at)
        density = np.array([material.density for material in sliced.job.materials]) / 1000.0
        length = np.maximum(path.lengths()[own], 1e-9)
        volume = plan.volume[own]
        self._each = np.stack((volume, volume * density[path.extruder[own]], plan.path_time[own])) / length
        self._infill = np.flatnonzero(path.role[own] == INFILL)

    def within(self, shapes: Regions, of_layer: Index) -> NDArray[np.float64]:
        """Return volume (mm³), mass (g) and time (s) of what lies within the shape of its layer."""
        held = self._each * lengths_within(self._xy, self._start, of_layer[self.layer], shapes)
        return np.asarray(held.sum(axis=1))

    def infill_within(self, rooms: Regions, of_layer: Index) -> float:
        """Return the volume of the infill that lies within the room of its layer, mm³."""
        start, points = chosen(self._start, self._infill)
        of = of_layer[self.layer[self._infill]]
        return float((self._each[0, self._infill] * lengths_within(self._xy[points], start, of, rooms)).sum())


def _tally(solid: SlicedSolid, zone: int, lines: _Lines) -> dict[str, float | None]:
    prints, thick = solid.prints, solid.heights.thick
    outlines, covers, zone_at = solid.outlines, solid.covers, prints.which[zone]
    shapes, shape_of = _met(outlines.outline, outlines.which, prints.outline, zone_at)
    rooms, room_of = _met(covers.room, covers.which, prints.outline, zone_at)
    held, filled = lines.within(shapes, shape_of), lines.infill_within(rooms, room_of)
    volume = float((region.area(shapes)[shape_of] * thick).sum())
    room = float((region.area(rooms)[room_of] * thick).sum())
    return {
        "volume_mm3": volume,
        "plastic_mm3": float(held[0]),
        "mass_g": float(held[1]),
        "time_s": float(held[2]),
        "infill_density": 100.0 * filled / room if room > 0.0 else None,
    }


def _met(some: Regions, which: Index, others: Regions, where: Index) -> tuple[Regions, Index]:
    """Return what lies within both, equal pairs once, and which of these each layer has."""
    pairs, place = np.unique(np.stack((which, where), axis=1), axis=0, return_inverse=True)
    return region.intersection(some[pairs[:, 0]], others[pairs[:, 1]]), place.ravel()
