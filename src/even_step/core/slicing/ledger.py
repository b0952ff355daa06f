"""What each layer was to hold and what its lines hold: region, plastic, void, overlap, outside.

Measured along rows across the layer. On a row every length is exact: the region less the room for infill is
what must be covered; lines drawn as wide as they are laid cover it; lines drawn as wide as they fill on
average show where plastic lies twice. Rows lie as close as a fixed budget allows, 0.02 to 0.25 mm.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges, foot, travel
from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.bead import line_section, strand_section
from even_step.core.plane.ragged import starts_of
from even_step.core.plane.stretches import (
    across,
    across_disc,
    bar_of,
    common,
    lay,
    line_places,
    reached,
    ring_stretches,
    total,
    unite,
    widest,
)
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.ordering import Blocks
from even_step.core.slicing.regions import Outlines
from even_step.core.toolpath.roles import BRIDGE
from even_step.core.work import Crew, runs_of

FINEST, COARSEST = 0.02, 0.25  # mm between rows
BUDGET = 4_000  # crossings of lines with rows in a layer


@dataclass(frozen=True, eq=False)
class Ledger:
    """One row a layer.

    Attributes
    ----------
    rows : (L, 5) float64
        Region, plastic, void, overlap, outside, mm².
    gap : (L, 2) float64
        The middle of the widest void met in a layer, mm, in the solid's frame.
    """

    rows: NDArray[np.float64]
    gap: NDArray[np.float64]


COLUMNS = ("region_mm2", "plastic_mm2", "void_mm2", "overlap_mm2", "outside_mm2")


@dataclass(frozen=True)
class LedgerSettings:
    """How much more or less than their section lines are given, percent; ``bore`` is the nozzle's, mm."""

    flow: Annotated[float, travel.FLOW]
    first_flow: Annotated[float, travel.FIRST_FLOW]
    bridge_flow: Annotated[float, bridges.FLOW]
    foot: Annotated[str, foot.KIND]
    bore: float

    def flow_of(self, *, first: bool) -> float:
        """Return the flow of all lines of the first layer, or of another one; over a raft the first is like others."""
        return self.flow / 100.0 * (self.first_flow / 100.0 if first and self.foot != "raft" else 1.0)


def ledger(
    outlines: Outlines,
    covers: Covers,
    blocks: Blocks,
    thick: NDArray[np.float64],
    settings: Sequence[Sequence[LedgerSettings]],
    crew: Crew,
) -> Ledger:
    """Measure each distinct layer of a solid.

    Parameters
    ----------
    outlines, covers, blocks, thick
        Of the solid; the thickness of its layers in mm, (L,).
    settings
        By what holds in zones, and by role: each line is reckoned as the extruder gives it that lays it.

    Notes
    -----
    Rows cut each layer at its own phase, so that what recurs from layer to layer is not always met at the
    same place. ``void`` counts inside walls and full regions only, ``overlap`` and ``outside`` everywhere.
    """
    high = np.round(thick * 1e6).astype(np.int64)
    first_flow = np.arange(len(high)) == 0
    keys = np.stack((blocks.content, outlines.which, covers.which, high, first_flow), axis=1)
    unique, seen, place = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    one = blocks.which[seen]
    rings, rooms = outlines.rings, region.rings(covers.open)
    of_room = rooms.starts_by_item(len(covers.open))
    at, room = unique[:, 1], unique[:, 2]
    shapes = np.stack((outlines.of_outline[at], outlines.of_outline[at + 1], of_room[room], of_room[room + 1]), axis=1)
    paths = blocks.paths
    spans = np.stack((blocks.block[one], blocks.block[one + 1]), axis=1)
    strands = np.array([strand_section(one[BRIDGE].bore, one[BRIDGE].bridge_flow) for one in settings])
    bores = np.array([one[BRIDGE].bore for one in settings])
    flows = np.array([[[one.flow_of(first=first) for one in some] for first in (False, True)] for some in settings])

    def measure(first: int, last: int) -> NDArray[np.float64]:
        count = spans[first:last, 1] - spans[first:last, 0]
        begin = starts_of(count)
        place = np.repeat(spans[first:last, 0] - begin[:-1], count) + np.arange(int(begin[-1]))
        of_layer = np.repeat(unique[first:last], count, axis=0)
        width, role = paths.width[place].astype(np.float64), paths.role[place]
        height = of_layer[:, 3] / 1e6
        own = np.where(paths.height[place] > 0, paths.height[place], height).astype(np.float64)
        bridge = role == BRIDGE
        record = blocks.record[place] if blocks.record is not None else np.zeros(len(place), np.int64)
        section = line_section(bridge, width, own, strands[record], flows[record, of_layer[:, 4], role])
        # A strand hangs below its layer: beside its neighbour it fills no more than its own width.
        beside = np.where(bridge, np.minimum(section / own, bores[record]), section / own)
        return np.asarray(
            _measured(
                (rings.xy, rings.start, rooms.xy, rooms.start),
                shapes[first:last],
                (paths.xy, paths.start, begin, width, beside, section / height),
                spans[first:last, 0],
                first,
            )
        )

    points = paths.start[spans[:, 1]] - paths.start[spans[:, 0]]
    done = crew.each(measure, runs_of(points, most=100_000))
    measured = (np.concatenate(done) if done else np.zeros((0, len(COLUMNS) + 2)))[place.ravel()]
    measured[:, 0] = region.area(outlines.outline[outlines.which])
    return Ledger(measured[:, :-2], measured[:, -2:])


@kernel
def _closed(xy, first, last):  # type: ignore[no-untyped-def]
    return xy[first, 0] == xy[last - 1, 0] and xy[first, 1] == xy[last - 1, 1] and last - first > 3


@kernel
def _goes_on(xy, start, p):  # type: ignore[no-untyped-def]
    """Tell whether a path begins where the one before it ends: the same line, of another width from there on."""
    at = start[p]
    return p > 0 and at - start[p - 1] > 1 and xy[at - 1, 0] == xy[at, 0] and xy[at - 1, 1] == xy[at, 1]


@kernel
def _before(xy, start, p, chain):  # type: ignore[no-untyped-def]
    """Return the segment that comes before a path's first one, -1 for none, and of which path it is.

    ``chain`` is the first path of its line. Before the first segment of a closed line comes its last one.
    """
    if chain < p:
        return start[p] - 2, p - 1
    last = p
    while last + 2 < start.shape[0] and _goes_on(xy, start, last + 1):
        last += 1
    return (start[last + 1] - 2, last) if _closed(xy, start[p], start[last + 1]) else (-1, p)


@kernel
def _drawn_rows(xy, start, width, low, pitch, rows):  # type: ignore[no-untyped-def]
    """Return the separate stretches of rows covered by lines with round ends: pairs, where each row's begin and end."""
    place = line_places(xy, start, width, low, pitch, rows)
    pairs = np.empty((place[rows], 2))
    end = place[:rows].copy()
    for p in range(start.shape[0] - 1):
        half = 0.5 * width[p]
        free = not _closed(xy, start[p], start[p + 1])
        for i in range(start[p], start[p + 1] - 1):
            x0, y0, x1, y1 = xy[i, 0], xy[i, 1], xy[i + 1, 0], xy[i + 1, 1]
            bar = bar_of(x0, y0, x1, y1, half)
            first, last = reached(min(y0, y1) - half, max(y0, y1) + half, low, pitch, rows)
            for k in range(first, last):
                y = low + k * pitch
                a, b = across(bar, y)
                c, d = across_disc(x1, y1, half, y)
                a, b = min(a, c), max(b, d)
                if free and i == start[p]:
                    c, d = across_disc(x0, y0, half, y)
                    a, b = min(a, c), max(b, d)
                if a < b:
                    end[k] = lay(pairs, place[k], end[k], a, b)
    unite(pairs, place, end)
    return pairs, place, end


@kernel
def _covered_twice(xy, start, width, low, pitch, rows):  # type: ignore[no-untyped-def]
    """Return how much of each row lines with square ends cover more than once.

    Where a path bends, two segments share a stretch, but there the line only turns, it does not lie on itself; nor does
    it where it goes on in another width.
    """
    place = line_places(xy, start, width, low, pitch, rows)
    pairs = np.empty((place[rows], 2))
    end = place[:rows].copy()
    twice = np.zeros(rows)
    chain = 0
    for p in range(start.shape[0] - 1):
        chain = chain if _goes_on(xy, start, p) else p
        before, of = _before(xy, start, p, chain)
        bends = before >= 0
        last_bar = bar_of(xy[before, 0], xy[before, 1], xy[before + 1, 0], xy[before + 1, 1], 0.5 * width[of])
        for i in range(start[p], start[p + 1] - 1):
            bar = bar_of(xy[i, 0], xy[i, 1], xy[i + 1, 0], xy[i + 1, 1], 0.5 * width[p])
            first, last = reached(bar[6], bar[7], low, pitch, rows)
            for k in range(first, last):
                y = low + k * pitch
                a, b = across(bar, y)
                if a < b:
                    twice[k] += b - a
                    end[k] = lay(pairs, place[k], end[k], a, b)
                if bends:
                    c, d = across(last_bar, y)
                    twice[k] -= max(0.0, min(b, d) - max(a, c))
            last_bar, bends = bar, True
    unite(pairs, place, end)
    for k in range(rows):
        twice[k] = max(0.0, twice[k] - total(pairs, place[k], end[k]))
    return twice


@kernel
def _measured(rings, shapes, lines, first_path, number):  # type: ignore[no-untyped-def]
    """Measure some layers, of which the first has a number; as ``_measure`` does, (n, 7).

    ``shapes`` (n, 4) says which rings are each layer's outline and its room; ``first_path`` (n,) where its paths begin.
    ``lines`` are points and starts of all paths, where the widths of each layer's begin, and widths.
    """
    ring_xy, ring_start, room_xy, room_start = rings
    xy, start, begin, width, fills, plastic = lines
    out = np.empty((shapes.shape[0], 7))
    for i in range(shapes.shape[0]):
        a, b, p = begin[i], begin[i + 1], first_path[i]
        out[i] = _measure(
            ring_xy,
            ring_start[shapes[i, 0] : shapes[i, 1] + 1],
            room_xy,
            room_start[shapes[i, 2] : shapes[i, 3] + 1],
            xy,
            start[p : p + b - a + 1],
            width[a:b],
            fills[a:b],
            plastic[a:b],
            ((number + i) * 0.618034) % 1.0,
        )
    return out


@kernel
def _measure(shape_xy, outline, room_xy, room, xy, start, width, fills, plastic, phase):  # type: ignore[no-untyped-def]
    """Return region, plastic, void, overlap and outside of one layer, mm², and the middle of its widest void.

    ``width`` is how wide lines are drawn, ``fills`` how wide they fill on average, ``plastic`` what they hold for each
    mm over the layer's height.
    """
    out = np.zeros(7)
    longest = 0.0
    low, high, work = np.inf, -np.inf, 0.0
    for r in range(outline.shape[0] - 1):
        for i in range(outline[r], outline[r + 1]):
            low = min(low, shape_xy[i, 1])
            high = max(high, shape_xy[i, 1])
    for p in range(start.shape[0] - 1):
        for i in range(start[p], start[p + 1]):
            low = min(low, xy[i, 1] - width[p])
            high = max(high, xy[i, 1] + width[p])
            if i + 1 < start[p + 1]:
                way = np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1])
                out[1] += way * plastic[p]
                work += abs(xy[i + 1, 1] - xy[i, 1]) + width[p]
    if not high > low:
        return out
    pitch = min(max(work / BUDGET, FINEST), COARSEST)
    low += pitch * (0.05 + 0.9 * phase)
    rows = np.int64(np.ceil((high - low) / pitch))
    if rows < 1:
        return out
    inside, inside_at = ring_stretches(shape_xy, outline, low, pitch, rows)
    open_, open_at = ring_stretches(room_xy, room, low, pitch, rows)
    drawn, drawn_at, drawn_end = _drawn_rows(xy, start, width, low, pitch, rows)
    twice = _covered_twice(xy, start, fills, low, pitch, rows)
    for k in range(rows):
        a0, a1 = inside_at[k], inside_at[k + 1]
        b0, b1 = open_at[k], open_at[k + 1]
        d0, d1 = drawn_at[k], drawn_end[k]
        wide, middle = widest(inside, a0, a1, open_, b0, b1, drawn, d0, d1)
        if wide > longest:
            longest = wide
            out[5], out[6] = middle, low + k * pitch
        region_length, room_length = total(inside, a0, a1), total(open_, b0, b1)
        drawn_length = total(drawn, d0, d1)
        room_drawn = common(open_, b0, b1, drawn, d0, d1)
        region_drawn = common(inside, a0, a1, drawn, d0, d1)
        out[0] += region_length * pitch
        out[2] += max(0.0, (region_length - room_length) - (region_drawn - room_drawn)) * pitch
        out[3] += twice[k] * pitch
        out[4] += max(0.0, drawn_length - region_drawn) * pitch
    return out
