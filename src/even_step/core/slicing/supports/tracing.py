"""Layers of a volume of cells become regions: their borders traced through the middles of the cells' sides."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, joined_starts
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import simplified_rings
from even_step.core.slicing.contours import nested
from even_step.core.slicing.laid import chosen
from even_step.core.slicing.supports.volume import Frame, Words
from even_step.core.work import Crew, runs_of


def layers_alike(words: Words, layers: int) -> Index:
    """Number the layers of a volume (L,): those between which nothing changes alike, −1 for empty ones."""
    last = (
        np.bitwise_or.reduce(words.reshape(len(words), -1), axis=1) if words.size else np.zeros(len(words), np.uint64)
    )
    change = _changes(words)
    bit = np.arange(layers)
    shift = (bit % 64).astype(np.uint64)
    fresh = (change[bit // 64] >> shift) & np.uint64(1) != 0
    some = (last[bit // 64] >> shift) & np.uint64(1) != 0
    fresh[:1] = True
    number = np.cumsum(fresh & some) - 1
    return np.where(some, number, -1).astype(np.int64)


@kernel
def _changes(words):  # type: ignore[no-untyped-def]
    """Return in which layers some cell differs from the layer below."""
    count, rows, columns = words.shape
    out = np.zeros(count, np.uint64)
    for w in range(count):
        for row in range(rows):
            for column in range(columns):
                here = words[w, row, column]
                before = words[w - 1, row, column] >> np.uint64(63) if w > 0 else np.uint64(0)
                out[w] |= here ^ ((here << np.uint64(1)) | before)
    return out


def traced(frame: Frame, words: Words, layers: Index, tolerance: float, crew: Crew) -> Regions:
    """Return what the cells of some layers cover, simplified within a tolerance in mm; (n,) regions."""

    def trace(first: int, last: int) -> tuple[NDArray[np.float64], Index, Index]:
        xy, start, layer = _borders(words, layers[first:last], *frame.corner, frame.cell)
        xy, start = simplified_rings(xy, start, tolerance)
        rising = np.argsort(layer, kind="stable")
        start, place = chosen(start, rising)
        of = np.searchsorted(layer[rising], np.arange(last - first + 1)).astype(np.int64)
        return np.round(xy[place], 3) + 0.0, start, of

    done = crew.each(trace, runs_of(np.full(len(layers), 1), most=64))
    if not done:
        return region.nothing(0)
    xy = np.concatenate([one[0] for one in done])
    ring = joined_starts([one[1] for one in done])
    by_layer = joined_starts([one[2] for one in done])
    return nested(xy, ring, by_layer, np.arange(len(layers)), crew)


@kernel
def _borders(words, layers, x0, y0, cell):  # type: ignore[no-untyped-def]
    """Trace the borders of some layers, which rise; material lies to the left.

    Returns points, where each ring starts, and the place of its layer among those asked for. Where borders begin is
    found in all layers of a word at once.
    """
    _, rows, columns = words.shape
    xy = np.empty((1024, 2))
    start = np.zeros(256, np.int64)
    of = np.zeros(256, np.int64)
    points, rings = 0, 0
    place = np.full(64, -1, np.int64)
    done = np.zeros((rows, columns), np.uint64)
    k = 0
    while k < layers.shape[0]:
        w = layers[k] // 64
        asked = np.uint64(0)
        place[:] = -1
        while k < layers.shape[0] and layers[k] // 64 == w:
            asked |= np.uint64(1) << np.uint64(layers[k] % 64)
            place[layers[k] % 64] = k
            k += 1
        done[:] = 0
        for row in range(rows):
            for column in range(columns):
                begins = words[w, row, column] & asked
                if begins != 0 and column + 1 < columns:
                    begins &= ~words[w, row, column + 1]
                if begins == 0:
                    continue
                for bit in range(64):
                    one = np.uint64(1) << np.uint64(bit)
                    if begins & one == 0 or done[row, column] & one != 0:
                        continue
                    # Up along the right side of this cell, and on until that is reached again.
                    r, c, dr, dc = row, column, 1, 0
                    while True:
                        if dr == 1:
                            done[r, c] |= one
                        if points + 1 >= xy.shape[0]:
                            more = np.empty((2 * xy.shape[0], 2))
                            more[:points] = xy[:points]
                            xy = more
                        # The side's middle lies half a cell to the right of the way.
                        xy[points, 0] = x0 + (c + 0.5 + 0.5 * dr) * cell
                        xy[points, 1] = y0 + (r + 0.5 - 0.5 * dc) * cell
                        points += 1
                        if not _holds(words, w, r + dr, c + dc, one):
                            dr, dc = dc, -dr  # to the left, round the same cell
                        elif _holds(words, w, r + dr - dc, c + dc + dr, one):
                            r, c = r + dr - dc, c + dc + dr
                            dr, dc = -dc, dr
                        else:
                            r, c = r + dr, c + dc
                        if r == row and c == column and dr == 1:
                            break
                    if rings + 2 > start.shape[0]:
                        longer, others = np.zeros(2 * start.shape[0], np.int64), np.zeros(2 * start.shape[0], np.int64)
                        longer[: rings + 1], others[:rings] = start[: rings + 1], of[:rings]
                        start, of = longer, others
                    of[rings] = place[bit]
                    rings += 1
                    start[rings] = points
    return xy[:points].copy(), start[: rings + 1].copy(), of[:rings].copy()


@kernel
def _holds(words, w, row, column, bit):  # type: ignore[no-untyped-def]
    """Whether a cell is filled; beyond the frame none is."""
    if row < 0 or column < 0 or row >= words.shape[1] or column >= words.shape[2]:
        return False
    return words[w, row, column] & bit != 0
