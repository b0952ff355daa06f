"""Tops over sparse infill: where lines would have to span more than so thick a top carries."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import covers, infill
from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed
from even_step.core.job.zones import Zone
from even_step.core.plane import region
from even_step.core.plane.widest import FreeCircle, free_circle
from even_step.core.toolpath.roles import INFILL

DENSITY, PATTERN, WIDTH = infill.DENSITY.key, infill.PATTERN.key, infill.LINE_WIDTH.key
READ = (DENSITY, PATTERN, WIDTH, infill.GRADING.key, infill.LAYERS_AT_ONCE.key, covers.TOP_LAYERS.key)
CARRIES = 10.0  # times its thickness: a gap that a top crosses without sagging to be seen
#: The widest that a cell of a pattern is, in widths of its lines at a density of 1.
CELLS = {
    "lines": 1.0,
    "grid": 2.0,
    "triangles": 2.0,
    "kagome": 3.0,
    "cubic": 3.0,
    "honeycomb": 2.6,
    "gyroid": 1.4,
    "concentric": 1.4,
    "hilbert": 1.5,
    "branching": 1.0,
}
CUT_OFF = 0.8  # of a cell: a narrower gap ends at walls, and would be as wide as a cell elsewhere


class _Gap(NamedTuple):
    """The widest free place beneath a top, which of the part's own layers that begins with, and how thick it is, mm."""

    circle: FreeCircle
    layer: int
    thick: float

    @property
    def over(self) -> float:
        """How many times wider it is than what carries."""
        return self.circle.width / (CARRIES * self.thick)


def check(evidence: Evidence) -> list[Finding]:
    """Find parts with such tops; one finding a part, at the place that is worst."""
    found = []
    for part, solid in evidence.first_of_each():
        if solid.settings["vase.on"] or not any(_may_sag(solid, own) for own in _records(evidence, part, solid)):
            continue
        gap = _worst(evidence, part, solid)
        if gap is not None:
            zones = _zones(evidence, part)
            held = solid.zones_at(gap.layer - 1, gap.circle.at)
            zone = next((zones[number] for number in reversed(held) if DENSITY in zones[number].holds), None)
            found.append(_told(evidence, part, solid, gap, zone))
    return found


def _zones(evidence: Evidence, part: PlacedPart) -> tuple[Zone, ...]:
    return next(one.zones for one in evidence.job.parts if one.id == part.part)


def _holding(solid: SlicedSolid, zone: Zone | None) -> dict[str, Any]:
    """Return what is read here of what holds for a part, or in one of its zones."""
    own = zone.holds if zone else {}
    return {key: own.get(key, solid.settings[key]) for key in READ}


def _records(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> list[dict[str, Any]]:
    """Return what holds for a part, and in its zones; what several say alike once."""
    every = (_holding(solid, zone) for zone in (None, *_zones(evidence, part)))
    return list({tuple(own.values()): own for own in every}.values())


def _may_sag(solid: SlicedSolid, own: dict[str, Any]) -> bool:
    """Tell whether the cells of the infill may be wider than its tops carry."""
    if own[PATTERN] == "branching" or own[infill.GRADING.key] != "none":
        return True
    thick = float(solid.heights.thick.min()) * max(1, int(own[covers.TOP_LAYERS.key]))
    return bool(_cell(own) - own[WIDTH] > CARRIES * thick)


def _cell(own: dict[str, Any]) -> float:
    """Return how far apart the middles of lines are across a cell of the infill, mm."""
    return float(CELLS[own[PATTERN]] * own[WIDTH] * 100.0 / own[DENSITY]) if own[DENSITY] else math.inf


def _worst(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> _Gap | None:
    """Return the gap that is widest for the top over it; none where all are carried."""
    full = region.union(solid.covers.full[:, 1], solid.covers.full[:, 2])
    which, thick = solid.covers.which, solid.heights.thick
    laid, wide = _infill(evidence, part)
    at_once = max(int(own[infill.LAYERS_AT_ONCE.key]) for own in _records(evidence, part, solid))
    worst, seen = None, set()
    for layer in range(1, len(which)):
        pair = int(which[layer]), int(which[layer - 1])
        if pair[0] == pair[1] or pair in seen:
            continue
        seen.add(pair)
        first = region.intersection(full[[pair[0]]], solid.covers.room[[pair[1]]])[0]
        below = [laid[one] for one in range(max(0, layer - at_once), layer) if one in laid]
        lines = np.concatenate(below) if below else np.empty((0, 2, 2))
        least = CARRIES * float(thick[layer])
        circle = free_circle(first, lines - np.array(part.at), wide, least)
        if circle is None:
            continue
        gap = _Gap(circle, layer, _thick_at(solid, full, layer, circle.at))
        if gap.over > 1.0 and (worst is None or gap.over > worst.over):
            worst = gap
    return worst


def _infill(evidence: Evidence, part: PlacedPart) -> tuple[dict[int, NDArray[np.float64]], float]:
    """Return the pieces of a copy's infill on the bed by its own layers, (n, 2, 2) each, and how wide they are."""
    path = evidence.toolpath
    mine = np.flatnonzero((path.role == INFILL) & (path.part == evidence.placed.index(part)))
    pieces: dict[int, list[NDArray[np.float64]]] = {}
    for one in mine.tolist():
        xy = path.xy[path.start[one] : path.start[one + 1]]
        pieces.setdefault(int(path.own[one]), []).append(np.stack((xy[:-1], xy[1:]), axis=1))
    wide = float(path.width[mine].min()) if len(mine) else 0.0
    return {own: np.concatenate(some) for own, some in pieces.items()}, wide


def _thick_at(solid: SlicedSolid, full: region.Regions, layer: int, at: tuple[float, float]) -> float:
    """Return how thick the top over a place is, mm."""
    which, thick, above = solid.covers.which, solid.heights.thick, 0.0
    for one in range(layer, len(which)):
        if above and not region.holds(full[[which[one]]], np.array([at]))[0]:
            break
        above += float(thick[one])
    return above


def _told(evidence: Evidence, part: PlacedPart, solid: SlicedSolid, gap: _Gap, zone: Zone | None) -> Finding:
    own, width, carries = _holding(solid, zone), gap.circle.width, CARRIES * gap.thick
    wide = float(own[WIDTH])
    if width + wide < CUT_OFF * _cell(own):
        needed = 100.0 * CELLS[own[PATTERN]] * wide / (carries + wide)
    else:
        needed = own[DENSITY] * (width + wide) / (carries + wide)
    enough = min(100, math.ceil(needed))
    layers = math.ceil(width / CARRIES / float(solid.heights.thick[gap.layer]) - 1e-6)
    told = Finding(
        "top-sags",
        "warn",
        part.title,
        *evidence.layer_of(part, gap.layer),
        to_bed(part, np.array(gap.circle.at)),
        round(width, 3),
        "mm",
        f"a top of {part.title}, {gap.thick:.2g} mm thick, lies over a gap of {width:.1f} mm in the infill; "
        f"it carries {carries:.2g} mm",
        f"infill of {enough} %, {layers} top layers, or a pattern that grows denser below tops",
        *part.ids,
    )
    return replace(told, fix=Fix(f"Infill {enough} %", {DENSITY: float(enough)}, zone=zone.id if zone else ""))
