"""Infill of a solid with zones: each record's pattern is laid as if it held everywhere, then cut to its cells."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.cell_lines import Share, fills_cut
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.infill import InfillSettings, Stand, filled
from even_step.core.slicing.patterns.pattern import Fill, LayerRooms
from even_step.core.slicing.walls import Walls
from even_step.core.slicing.zones import Borders, Cells, Zones
from even_step.core.work import Crew


def zoned_infill(
    borders: Borders,
    walls: Walls,
    covers: Covers,
    heights: Heights,
    stands: Stand,
    settings: Callable[[Zones], InfillSettings],
    crew: Crew,
) -> tuple[Fill, ...]:
    """Lay the infill of one placed solid with zones.

    Parameters
    ----------
    borders
        Of zones that say anything of infill.
    settings
        What holds where some zones lie over one another.

    Notes
    -----
    So lines outside a zone are what they were without it; lines end bare at a border, and none runs along it.
    """
    thick = walls.height[covers.walls[covers.which]]
    rooms = LayerRooms(covers.which, covers.room, thick, heights.cuts[: len(thick)])
    outline, cut = borders.outlines.outline, borders.cells()
    fills: list[Fill] = []
    by_record = cut.by(lambda zones: settings(zones).as_laid)
    if len(by_record) == 1:
        return filled(rooms, stands, next(iter(by_record)), crew)
    for record, shape in by_record.items():
        share = Share.of(cut, shape, outline)
        if share.here.any():
            some = rooms
            if record.frame == "fitted":  # to its own cells, unlike what lies in the part's frame or the bed's
                some = _only(rooms, cut, shape)
            elif _is_by_layer(record):
                some = replace(rooms, which=np.where(share.here, rooms.which, -1))
            fills += fills_cut(filled(some, stands, record, crew), share, crew)
    return tuple(fills)


def _only(rooms: LayerRooms, cut: Cells, shape: Regions) -> LayerRooms:
    """Return what of the rooms of layers lies in some cells."""
    pairs, which = np.unique(np.stack((rooms.which, cut.which), axis=1), axis=0, return_inverse=True)
    return replace(rooms, which=which.ravel(), rooms=region.intersection(rooms.rooms[pairs[:, 0]], shape[pairs[:, 1]]))


def _is_by_layer(settings: InfillSettings) -> bool:
    """Tell whether what is laid in a layer depends on that layer alone."""
    return settings.pattern != "branching" and settings.layers_at_once < 2 and not settings.is_graded
