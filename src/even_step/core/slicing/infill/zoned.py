"""Infill of a solid with zones: each record's pattern is laid as if it held everywhere, then cut to its cells."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from even_step.core.plane import region
from even_step.core.plane.cut import lines_cut
from even_step.core.plane.hatch import Strokes
from even_step.core.plane.ragged import Index, Points, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.infill import InfillSettings, Stand, filled
from even_step.core.slicing.patterns.pattern import SHORTEST, Fill, LayerRooms
from even_step.core.slicing.walls import Walls
from even_step.core.slicing.zones import Cells, Footprints, cells
from even_step.core.work import Crew, runs_of

BEYOND = 0.05  # mm


def zoned_infill(
    walls: Walls,
    covers: Covers,
    heights: Heights,
    stands: Stand,
    prints: Footprints,
    about: Sequence[int],
    settings: Callable[[tuple[int, ...]], InfillSettings],
    crew: Crew,
) -> tuple[Fill, ...]:
    """Lay the infill of one placed solid with zones.

    Parameters
    ----------
    prints, about
        Of the zones, and which of them say anything of infill.
    settings
        What holds where some zones lie over one another.

    Notes
    -----
    So lines outside a zone are what they were without it; lines end bare at a border, and none runs along it.
    """
    thick = walls.height[covers.walls[covers.which]]
    rooms = LayerRooms(covers.which, covers.room, thick, heights.cuts[: len(thick)])
    known = [settings(()), *(settings((zone,)) for zone in about)]
    reach = max(one.overlap for one in known) / 100.0 * max(one.line_width for one in known)
    near = region.offset(covers.room, reach + BEYOND)  # lines reach into the walls, of whichever cell
    cut = cells(near, covers.which, prints, about)
    fills: list[Fill] = []
    for record, shape in cut.by(settings).items():
        here = ~region.is_empty(shape)[cut.which]
        if here.any():
            some = replace(rooms, which=np.where(here, rooms.which, -1)) if _is_by_layer(record) else rooms
            fills += [_cut(fill, cut, shape, near, crew) for fill in filled(some, stands, record, crew)]
    return tuple(fills)


def _is_by_layer(settings: InfillSettings) -> bool:
    """Tell whether what is laid in a layer depends on that layer alone."""
    return settings.pattern != "branching" and settings.layers_at_once < 2 and not settings.is_graded


def _cut(fill: Fill, cut: Cells, shape: Regions, rooms: Regions, crew: Crew) -> Fill:
    """Cut lines to the cells of their layers; where a cell is all of its room they stay as they are."""
    layers = np.flatnonzero(fill.which >= 0)
    which = np.full(len(fill.which), -1, np.int64)
    pairs, place = np.unique(np.stack((fill.which[layers], cut.which[layers]), axis=1), axis=0, return_inverse=True)
    which[layers] = place.ravel()
    if len(pairs) == 0:
        return replace(fill, which=which)
    own, whole = shape[pairs[:, 1]], rooms[cut.room[pairs[:, 1]]]
    lines = fill.lines
    first, last = lines.cell[pairs[:, 0]], lines.cell[pairs[:, 0] + 1]

    def pieces(a: int, b: int) -> tuple[Points, Index, np.ndarray, Index]:
        owner = np.repeat(np.arange(a, b), last[a:b] - first[a:b])
        taken = np.concatenate([np.arange(first[i], last[i]) for i in range(a, b)])
        xy, start = _some_lines(lines.xy, lines.start, taken)
        if all(own[i] is whole[i] for i in range(a, b)):
            return xy, start, lines.linked[taken], np.bincount(owner - a, minlength=b - a)
        xy, start, line, uncut = lines_cut(xy, start, owner - a, own[a:b], SHORTEST)
        follows = np.concatenate(([False], (np.diff(line) == 1) & uncut[1:] & uncut[:-1]))
        linked = lines.linked[taken[line]] & follows
        return xy, start, linked, np.bincount(owner[line] - a, minlength=b - a)

    done = crew.each(pieces, runs_of(last - first + 1, most=2_000))
    laid = Strokes(
        np.concatenate([one[0] for one in done]),
        joined_starts([one[1] for one in done]),
        np.concatenate([one[2] for one in done]),
        starts_of(np.concatenate([one[3] for one in done])),
    )
    return replace(fill, which=which, lines=laid, height=fill.height[pairs[:, 0]])


def _some_lines(xy: Points, start: Index, taken: Index) -> tuple[Points, Index]:
    """Return some of many lines."""
    size = np.diff(start)[taken]
    out = starts_of(size)
    return xy[np.repeat(start[taken] - out[:-1], size) + np.arange(int(out[-1]))], out
