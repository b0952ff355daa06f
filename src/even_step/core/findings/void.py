"""Voids within walls and full layers."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding
from even_step.core.plane import region
from even_step.core.slicing.voids import void_pieces

LEAST_SHARE = 0.01  # of what is to be full in a layer,
LEAST_AREA = 0.5  # and mm²: less is what rounded line ends leave in corners


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part the layer that lacks most of what was to be full, and the largest void in it."""
    found = []
    for part, solid in evidence.first_of_each():
        rows = evidence.ledgers[part.solid].rows
        if len(rows) == 0:
            continue
        room = region.area(solid.covers.room)[solid.covers.which]
        dense = np.maximum(rows[:, 0] - room, 1e-9)
        lost = region.area(solid.walls.lost)[solid.walls.which]
        void = np.maximum(rows[:, 2] - lost, 0.0)  # what no line fits into is told apart
        bad = np.flatnonzero((void > LEAST_AREA) & (void > LEAST_SHARE * dense))
        if len(bad) == 0:
            continue
        layer = int(bad[np.argmax(void[bad] / dense[bad])])
        dense_there = region.shifted(solid.dense(layer)[0], *part.at)
        pieces = void_pieces(evidence.toolpath, layer, evidence.placed.index(part), np.array([dense_there], object))
        if len(pieces) == 0:
            continue
        worst = int(np.argmax(region.area(pieces)))
        x, y = region.centres(pieces)[worst]
        where = "a layer" if len(bad) == 1 else f"{len(bad)} layers"
        found.append(
            Finding(
                "void",
                "warn",
                part.title,
                layer,
                evidence.layer_top(layer),
                (round(float(x), 3), round(float(y), 3)),
                round(float(void[layer]), 3),
                "mm²",
                f"{part.title} has voids between its lines in {where}, {void[layer]:.1f} mm² in this one",
                "another line width or number of walls",
            )
        )
    return found
