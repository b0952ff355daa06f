"""Voids within walls and full layers."""

from __future__ import annotations

import numpy as np

from even_step.core.findings.finding import Evidence, Finding, to_bed
from even_step.core.plane import region
from even_step.core.slicing.voids import deepest_texture

LEAST_SHARE = 0.03  # of what is to be full in a layer,
LEAST_AREA = 1.0  # and mm²: less is what rounded line ends leave in corners


def check(evidence: Evidence) -> list[Finding]:
    """Find for each part the layer that lacks most of what was to be full, and the largest void in it."""
    found = []
    zones = {part.id: part.zones for part in evidence.job.parts}
    for part, solid in evidence.first_of_each():
        ledger = evidence.ledgers[part.solid]
        rows = ledger.rows
        if len(rows) == 0:
            continue
        room = region.area(solid.covers.open)[solid.covers.which]
        dense = np.maximum(rows[:, 0] - room, 1e-9)
        lost = region.area(solid.walls.lost)[solid.walls.which]
        void = np.maximum(rows[:, 2] - lost, 0.0)  # what no line fits into is told apart
        # Texture moves walls away from what lies beside them, by a quarter of its depth where it is deep.
        depth = deepest_texture(solid.settings, *(zone.settings for zone in zones[part.part]))
        rough = depth / 4 * region.perimeter(solid.outlines.outline)
        void = np.maximum(void - rough[solid.outlines.which], 0.0)
        bad = np.flatnonzero((void > LEAST_AREA) & (void > LEAST_SHARE * dense))
        if len(bad) == 0:
            continue
        layer = int(bad[np.argmax(void[bad] / dense[bad])])
        where = "a layer" if len(bad) == 1 else f"{len(bad)} layers"
        found.append(
            Finding(
                "void",
                "warn",
                part.title,
                *evidence.layer_of(part, layer),
                to_bed(part, ledger.gap[layer]),
                round(float(void[layer]), 3),
                "mm²",
                f"{part.title} has voids between its lines in {where}, {void[layer]:.1f} mm² in this one",
                "another line width or number of walls",
                *part.ids,
            )
        )
    return found
