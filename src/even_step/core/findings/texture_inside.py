"""Texture that gets inside through an opening wider than is to let it in."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np

from even_step.core.catalogue import texture
from even_step.core.catalogue.setting import Value
from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, to_bed
from even_step.core.job.zones import Zone
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.slicing.mouths import Mouth, widest_mouth

STEP = 0.5  # mm
DEPTH, WIDTH = texture.DEPTH.key, texture.OPENING_WIDTH.key


def check(evidence: Evidence) -> list[Finding]:
    """Tell of each rough part and zone the opening that lets texture in, and the width that would keep it out."""
    found = []
    for part, solid, zone, some in _rough(evidence):
        width = float({**solid.settings, **(zone.holds if zone else {})}[WIDTH])
        mouth = widest_mouth(solid.outlines.outline[some], width)
        if mouth is None:
            continue
        layer = int(np.flatnonzero(solid.outlines.which == some[mouth.outline])[0])
        if _decides(evidence, part, solid.zones_at(layer, mouth.at)) == zone:
            found.append(_told(evidence, part, layer, mouth, zone))
    return found


def _rough(evidence: Evidence) -> Iterator[tuple[PlacedPart, SlicedSolid, Zone | None, Index]]:
    """Yield each rough part, and each zone that says anything of texture, with the outlines to look at."""
    for part, solid in evidence.first_of_each():
        if _is_kept_out(solid.settings):
            yield part, solid, None, np.arange(len(solid.outlines.outline))
    for part, solid, number, zone in evidence.zones():
        if _says(zone) and _is_kept_out({**solid.settings, **zone.holds}):
            there = ~region.is_empty(solid.prints.outline)[solid.prints.which[number]]
            yield part, solid, zone, np.unique(solid.outlines.which[there])


def _is_kept_out(settings: Mapping[str, Value]) -> bool:
    """Tell whether walls are rough, but for those behind narrow openings."""
    return bool(settings[DEPTH] and settings[WIDTH] and not settings["vase.on"])


def _says(zone: Zone) -> bool:
    return bool({DEPTH, WIDTH} & zone.holds.keys())


def _decides(evidence: Evidence, part: PlacedPart, held: list[int]) -> Zone | None:
    """Return which of the zones that hold a place decides on texture there: the last that says anything of it."""
    zones = next(one.zones for one in evidence.job.parts if one.id == part.part)
    return next((zones[number] for number in reversed(held) if _says(zones[number])), None)


def _told(evidence: Evidence, part: PlacedPart, layer: int, mouth: Mouth, zone: Zone | None) -> Finding:
    enough = math.ceil(mouth.width / STEP + 1e-9) * STEP
    told = Finding(
        "texture-inside",
        "note",
        part.title,
        *evidence.layer_of(part, layer),
        to_bed(part, np.array(mouth.at)),
        round(mouth.width, 3),
        "mm",
        f"texture gets inside {part.title} by an opening {mouth.width:.1f} mm wide",
        f"let it stay out of openings of {enough:g} mm",
        *part.ids,
    )
    return replace(told, fix=Fix(f"Keep it out of {enough:g} mm", {WIDTH: enough}, zone=zone.id if zone else ""))
