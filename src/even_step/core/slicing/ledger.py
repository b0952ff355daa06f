"""What each layer was to hold and what its lines hold: region, plastic, void, overlap, outside.

Measured along rows across the layer. On a row every length is exact: the region less the room for infill is
what must be covered; lines drawn as wide as they are laid cover it; lines drawn as wide as they fill on
average show where plastic lies twice. Rows lie as close as a fixed budget allows, 0.02 to 0.25 mm.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges, travel
from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.bead import line_section, strand_section
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.ordering import Blocks
from even_step.core.slicing.regions import Outlines
from even_step.core.toolpath.roles import BRIDGE
from even_step.core.work import Crew, runs_of

FINEST, COARSEST = 0.02, 0.25  # mm between rows
BUDGET = 4_000  # crossings of lines with rows in a layer
PARALLEL = 1e-9  # sine: what runs along a row any closer is not cut with it


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
    bore: float

    def flow_of(self, *, first: bool) -> float:
        """Return the flow of all lines of the first layer, or of another one."""
        return self.flow / 100.0 * (self.first_flow / 100.0 if first else 1.0)


def ledger(
    outlines: Outlines,
    covers: Covers,
    blocks: Blocks,
    thick: NDArray[np.float64],
    settings: LedgerSettings,
    crew: Crew,
) -> Ledger:
    """Measure each distinct layer of a solid.

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
    shapes = region.rings(np.stack((outlines.outline[unique[:, 1]], covers.open[unique[:, 2]]), axis=1).ravel())
    of_item = shapes.starts_by_item(2 * len(unique))
    paths = blocks.paths
    spans = np.stack((blocks.block[one], blocks.block[one + 1]), axis=1)

    def measure(first: int, last: int) -> NDArray[np.float64]:
        out = np.zeros((last - first, len(COLUMNS) + 2))
        for i in range(first, last):
            a, m, b = (int(of_item[2 * i + j]) for j in range(3))
            p, q = int(spans[i, 0]), int(spans[i, 1])
            height = unique[i, 3] / 1e6
            width = paths.width[p:q].astype(np.float64)
            own = np.where(paths.height[p:q] > 0, paths.height[p:q], height).astype(np.float64)
            bridge, flow = paths.role[p:q] == BRIDGE, settings.flow_of(first=bool(unique[i, 4]))
            section = line_section(bridge, width, own, strand, flow)
            # A strand hangs below its layer: beside its neighbour it fills no more than its own width.
            beside = np.where(bridge, np.minimum(section / own, settings.bore), section / own)
            out[i - first] = _measure(
                shapes.xy,
                shapes.start[a : m + 1],
                shapes.start[m : b + 1],
                paths.xy,
                paths.start[p : q + 1],
                width,
                beside,
                section / height,
                (i * 0.618034) % 1.0,
                BUDGET,
                FINEST,
                COARSEST,
            )
        return out

    strand = strand_section(settings.bore, settings.bridge_flow)
    points = paths.start[spans[:, 1]] - paths.start[spans[:, 0]]
    done = crew.each(measure, runs_of(points, most=100_000))
    measured = (np.concatenate(done) if done else np.zeros((0, len(COLUMNS) + 2)))[place.ravel()]
    measured[:, 0] = region.area(outlines.outline[outlines.which])
    return Ledger(measured[:, :-2], measured[:, -2:])


@kernel
def _disc(x, y, radius, row):  # type: ignore[no-untyped-def]
    """Return where a row crosses a disc (low > high where it does not)."""
    d = radius * radius - (row - y) ** 2
    if d <= 0.0:
        return np.inf, -np.inf
    half = np.sqrt(d)
    return x - half, x + half


@kernel
def _bar(x0, y0, x1, y1, half):  # type: ignore[no-untyped-def]
    """Describe a rectangle by its middle line and half its width: origin, direction, length and half of the width."""
    way = np.hypot(x1 - x0, y1 - y0)
    if way == 0.0:
        return x0, y0, 1.0, 0.0, 0.0, 0.0
    return x0, y0, (x1 - x0) / way, (y1 - y0) / way, way, half


@kernel
def _across(bar, row):  # type: ignore[no-untyped-def]
    """Return where a row crosses a rectangle (low > high where it does not): between its ends and between its sides."""
    x0, y0, ux, uy, way, half = bar
    low, high = -np.inf, np.inf
    y = row - y0
    if abs(ux) > PARALLEL:
        a, b = -y * uy / ux, (way - y * uy) / ux
        low, high = min(a, b), max(a, b)
    elif not 0.0 <= y * uy <= way:
        return np.inf, -np.inf
    if abs(uy) > PARALLEL:
        a, b = (y * ux - half) / uy, (y * ux + half) / uy
        low, high = max(low, min(a, b)), min(high, max(a, b))
    elif abs(y) > half:
        return np.inf, -np.inf
    return (x0 + low, x0 + high) if low <= high else (np.inf, -np.inf)


@kernel
def _sort_pairs(pairs, first, last):  # type: ignore[no-untyped-def]
    gap = 1
    while gap < (last - first) // 3:
        gap = 3 * gap + 1
    while gap > 0:
        for i in range(first + gap, last):
            low, high = pairs[i, 0], pairs[i, 1]
            j = i
            while j >= first + gap and pairs[j - gap, 0] > low:
                pairs[j, 0], pairs[j, 1] = pairs[j - gap, 0], pairs[j - gap, 1]
                j -= gap
            pairs[j, 0], pairs[j, 1] = low, high
        gap //= 3


@kernel
def _united(pairs, first, last):  # type: ignore[no-untyped-def]
    """Merge sorted stretches in place; returns how many remain and the sum of their lengths before."""
    total = 0.0
    w = first
    for i in range(first, last):
        low, high = pairs[i, 0], pairs[i, 1]
        total += high - low
        if w > first and low <= pairs[w - 1, 1]:
            pairs[w - 1, 1] = max(pairs[w - 1, 1], high)
        else:
            pairs[w, 0], pairs[w, 1] = low, high
            w += 1
    return w, total


@kernel
def _total(pairs, first, last):  # type: ignore[no-untyped-def]
    total = 0.0
    for i in range(first, last):
        total += pairs[i, 1] - pairs[i, 0]
    return total


@kernel
def _common(a, a0, a1, b, b0, b1):  # type: ignore[no-untyped-def]
    """Return the length two lists of sorted, separate stretches have in common."""
    total = 0.0
    i, j = a0, b0
    while i < a1 and j < b1:
        low = max(a[i, 0], b[j, 0])
        high = min(a[i, 1], b[j, 1])
        if high > low:
            total += high - low
        if a[i, 1] < b[j, 1]:
            i += 1
        else:
            j += 1
    return total


@kernel
def _widest(inside, a0, a1, open_, b0, b1, drawn, d0, d1):  # type: ignore[no-untyped-def]
    """Return the longest stretch that is inside and neither open nor drawn, and its middle; all lists sorted."""
    best = middle = 0.0
    b, d = b0, d0
    for a in range(a0, a1):
        at, end = inside[a, 0], inside[a, 1]
        while at < end:
            while b < b1 and open_[b, 1] <= at:
                b += 1
            while d < d1 and drawn[d, 1] <= at:
                d += 1
            if b < b1 and open_[b, 0] <= at:
                at = open_[b, 1]
                continue
            if d < d1 and drawn[d, 0] <= at:
                at = drawn[d, 1]
                continue
            stop = end
            if b < b1:
                stop = min(stop, open_[b, 0])
            if d < d1:
                stop = min(stop, drawn[d, 0])
            if stop - at > best:
                best = stop - at
                middle = 0.5 * (at + stop)
            at = stop
    return best, middle


@kernel
def _ring_rows(xy, start, low, pitch, rows, cut, place, fill):  # type: ignore[no-untyped-def]
    """Count (or fill in) where rings cross the rows."""
    for r in range(start.shape[0] - 1):
        j = start[r + 1] - 1
        for i in range(start[r], start[r + 1]):
            y0, y1 = xy[j, 1], xy[i, 1]
            first = max(0, np.int64(np.ceil((min(y0, y1) - low) / pitch)))
            last = min(rows, np.int64(np.ceil((max(y0, y1) - low) / pitch)))
            for k in range(first, last):
                if fill:
                    y = low + k * pitch
                    cut[place[k]] = xy[j, 0] + (xy[i, 0] - xy[j, 0]) * (y - y0) / (y1 - y0)
                    place[k] += 1
                else:
                    place[k + 1] += 1
            j = i
    return 0


@kernel
def _stretches(xy, start, low, pitch, rows):  # type: ignore[no-untyped-def]
    """Return the sorted stretches of rows inside rings (even-odd), and where each row's begin."""
    place = np.zeros(rows + 1, np.int64)
    _ring_rows(xy, start, low, pitch, rows, np.empty(0), place, False)
    for k in range(rows):
        place[k + 1] += place[k]
    cut = np.empty(place[rows])
    _ring_rows(xy, start, low, pitch, rows, cut, place[:rows].copy(), True)
    pairs = np.empty((cut.shape[0] // 2, 2))
    for k in range(rows):
        piece = cut[place[k] : place[k + 1]]
        piece.sort()
        for i in range(piece.shape[0] // 2):
            pairs[place[k] // 2 + i, 0] = piece[2 * i]
            pairs[place[k] // 2 + i, 1] = piece[2 * i + 1]
    for k in range(rows + 1):
        place[k] //= 2
    return pairs, place


@kernel
def _line_rows(xy, start, width, low, pitch, rows, round_ends):  # type: ignore[no-untyped-def]
    """Return the stretches of rows that lines of some width cover, sorted by row and place.

    With square ends, also how much of each row two segments share where a path bends: there the line only
    turns, it does not lie on itself.
    """
    place = np.zeros(rows + 1, np.int64)
    pairs = np.empty((0, 2))
    bends = np.zeros(rows)
    for turn in range(2):
        if turn == 1:
            for k in range(rows):
                place[k + 1] += place[k]
            pairs = np.empty((place[rows], 2))
        at = place[:rows].copy()
        for p in range(start.shape[0] - 1):
            half = 0.5 * width[p]
            for i in range(start[p], start[p + 1] - 1):
                x0, y0, x1, y1 = xy[i, 0], xy[i, 1], xy[i + 1, 0], xy[i + 1, 1]
                first = max(0, np.int64(np.ceil((min(y0, y1) - half - low) / pitch)))
                last = min(rows, np.int64(np.ceil((max(y0, y1) + half - low) / pitch)))
                if turn == 0:
                    for k in range(first, last):
                        place[k + 1] += 1
                    continue
                bar = _bar(x0, y0, x1, y1, half)
                before = i - 1
                if i == start[p]:
                    end = start[p + 1] - 1
                    closed = xy[i, 0] == xy[end, 0] and xy[i, 1] == xy[end, 1] and end - i > 2
                    before = end - 1 if closed else -1
                bends_here = not round_ends and before >= 0
                last_bar = bar
                if bends_here:
                    last_bar = _bar(xy[before, 0], xy[before, 1], xy[before + 1, 0], xy[before + 1, 1], half)
                for k in range(first, last):
                    y = low + k * pitch
                    a, b = _across(bar, y)
                    if round_ends:
                        c, d = _disc(x0, y0, half, y)
                        e, f = _disc(x1, y1, half, y)
                        a, b = min(a, c, e), max(b, d, f)
                    if a > b:
                        a = b = x0
                    elif bends_here:
                        c, d = _across(last_bar, y)
                        bends[k] += max(0.0, min(b, d) - max(a, c))
                    pairs[at[k], 0], pairs[at[k], 1] = a, b
                    at[k] += 1
    for k in range(rows):
        _sort_pairs(pairs, place[k], place[k + 1])
    return pairs, place, bends


@kernel
def _measure(shape_xy, outline, room, xy, start, width, fills, plastic, phase, budget, finest, coarsest):  # type: ignore[no-untyped-def]
    """Return region, plastic, void, overlap and outside of one layer, mm², and the middle of its widest void.

    ``width`` is how wide lines are drawn, ``fills`` how wide they fill on average, ``plastic`` what they hold for each
    mm over the layer's height.
    """
    out = np.zeros(7)
    widest = 0.0
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
    pitch = min(max(work / budget, finest), coarsest)
    low += pitch * (0.05 + 0.9 * phase)
    rows = np.int64(np.ceil((high - low) / pitch))
    if rows < 1:
        return out
    inside, inside_at = _stretches(shape_xy, outline, low, pitch, rows)
    open_, open_at = _stretches(shape_xy, room, low, pitch, rows)
    drawn, drawn_at, _ = _line_rows(xy, start, width, low, pitch, rows, True)
    filled, filled_at, bends = _line_rows(xy, start, fills, low, pitch, rows, False)
    for k in range(rows):
        a0, a1 = inside_at[k], inside_at[k + 1]
        b0, b1 = open_at[k], open_at[k + 1]
        d0 = drawn_at[k]
        d1, _ = _united(drawn, d0, drawn_at[k + 1])
        f0 = filled_at[k]
        f1, twice = _united(filled, f0, filled_at[k + 1])
        wide, middle = _widest(inside, a0, a1, open_, b0, b1, drawn, d0, d1)
        if wide > widest:
            widest = wide
            out[5], out[6] = middle, low + k * pitch
        region_length, room_length = _total(inside, a0, a1), _total(open_, b0, b1)
        drawn_length, filled_length = _total(drawn, d0, d1), _total(filled, f0, f1)
        room_drawn = _common(open_, b0, b1, drawn, d0, d1)
        region_drawn = _common(inside, a0, a1, drawn, d0, d1)
        out[0] += region_length * pitch
        out[2] += max(0.0, (region_length - room_length) - (region_drawn - room_drawn)) * pitch
        out[3] += max(0.0, twice - filled_length - bends[k]) * pitch
        out[4] += max(0.0, drawn_length - region_drawn) * pitch
    return out
