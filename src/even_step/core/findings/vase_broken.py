"""Why a part cannot be one rising line, or what is laid between its turns."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.findings.finding import Evidence, Finding, Fix, PlacedPart, SlicedSolid, about_whole, to_bed
from even_step.core.plane import region
from even_step.core.slicing.vase import VaseBottom

SPECK = 0.01  # mm², a smaller loop is rounding
SOLID = "take the outer loop alone, or draw it solid"
OUTER = Fix("Take the outer loop alone", {"vase.outer_loop": True})
BARE = Fix("No supports", {"supports.kind": "none"})


def check(evidence: Evidence) -> list[Finding]:
    """Tell of each vase its first layers that are not one loop, gaps in its mesh, and what else is laid beside it."""
    found = []
    for part, solid in evidence.first_of_each():
        if solid.settings["vase.on"]:
            found += [*_gaps(evidence, part, solid), *_loops(evidence, part, solid), *_slim(evidence, part, solid)]
            found += _between(evidence, part, solid)
    return found


def _between(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> list[Finding]:
    """Tell what is laid layer by layer with the vase."""
    found = []
    if not solid.supports.are_none:
        words = f"{part.title} is a vase, but supports are laid between its turns"
        found.append(replace(about_whole(part, "vase-broken", "stop", words, "take its supports off"), fix=BARE))
    others = len(evidence.placed) - 1
    if others and evidence.settings["order.parts"] == "together":
        words = (
            f"{part.title} is a vase, but {others} more {'is' if others == 1 else 'are'} laid layer by layer with it"
        )
        found.append(about_whole(part, "vase-broken", "stop", words, "lay parts one by one (order.parts)"))
    return found


def _gaps(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> list[Finding]:
    gaps = solid.contours.gaps
    if len(gaps) == 0:
        return []
    layer, wide, *at = gaps[np.argmax(gaps[:, 1])]
    words = f"{part.title} cannot be a vase as it is: its mesh is open, up to {wide:.1f} mm wide"
    return [_at(evidence, part, int(layer), np.array(at), words, "mend the model")]


def _loops(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> list[Finding]:
    """Tell the first layer above the bottom with a loop inside another, and the first with two side by side."""
    rings, which = solid.outlines.rings, solid.outlines.which
    shell = np.diff(rings.polygon, prepend=-1) > 0
    x, y = rings.xy.T
    ahead = np.arange(1, len(x) + 1)
    ahead[rings.start[1:] - 1] = rings.start[:-1]
    area = np.abs(np.add.reduceat(x * y[ahead] - y * x[ahead], rings.start[:-1])) / 2 if len(x) else np.empty(0)
    found = []
    for kind, least, how, remedy, fix in (
        (~shell, 1, "one inside another", SOLID, OUTER),
        (shell, 2, "side by side", "another pose, or vase mode off", None),
    ):
        some = np.flatnonzero(kind & (area > SPECK))
        many = np.bincount(rings.item[some], minlength=len(solid.outlines.outline))
        layers = _above(solid, many[which] >= least)
        if len(layers) == 0:
            continue
        mine = some[rings.item[some] == which[layers[0]]]
        ring = mine[np.argmin(area[mine])]
        middle = rings.xy[rings.start[ring] : rings.start[ring + 1]].mean(axis=0)
        count = len(mine) + (kind is not shell)
        words = f"{part.title} cannot be a vase as it is: layer {layers[0] + 1} has {count} loops, {how}"
        found.append(replace(_at(evidence, part, int(layers[0]), middle, words, remedy), fix=fix))
    return found


def _slim(evidence: Evidence, part: PlacedPart, solid: SlicedSolid) -> list[Finding]:
    """Tell the first layer that has no room for the line, which ends there."""
    shapes, which = solid.outlines.outline, solid.outlines.which
    width = float(solid.settings["walls.outer_line_width"])
    slim = region.is_empty(region.offset(shapes, -width / 2)) & ~region.is_empty(shapes)
    layers = _above(solid, slim[which])
    if len(layers) == 0:
        return []
    words = f"the line of {part.title} ends early: layer {layers[0] + 1} is narrower than its {width:g} mm"
    place = region.centres(shapes[which[layers[:1]]])[0]
    return [replace(_at(evidence, part, int(layers[0]), place, words, "a narrower outer wall"), severity="warn")]


def _above(solid: SlicedSolid, wrong: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Return which layers are wrong of those that the line climbs through: the bottom may have holes."""
    values = solid.settings
    bottom = VaseBottom(True, int(values["bottom.layers"]), float(values["bottom.thickness"]))
    first = bottom.first_turn(solid.heights.thick)
    return first + np.flatnonzero(wrong[first:])


def _at(evidence: Evidence, part: PlacedPart, layer: int, at: NDArray[np.float64], words: str, remedy: str) -> Finding:
    """Return a finding that stops, at a place of a layer."""
    place = evidence.layer_of(part, layer)
    return Finding("vase-broken", "stop", part.title, *place, to_bed(part, at), 0.0, "", words, remedy, *part.ids)
