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
        xy, start, of = _borders(words, layers[first:last], *frame.corner, frame.cell)
        xy, start = simplified_rings(xy, start, tolerance)
        return np.round(xy, 3) + 0.0, start, of

    done = crew.each(trace, runs_of(np.full(len(layers), frame.rows * frame.columns), most=2_000_000))
    if not done:
        return region.nothing(0)
    xy = np.concatenate([one[0] for one in done])
    ring = joined_starts([one[1] for one in done])
    by_layer = joined_starts([one[2] for one in done])
    return nested(xy, ring, by_layer, np.arange(len(layers)), crew)


@kernel
def _borders(words, layers, x0, y0, cell):  # type: ignore[no-untyped-def]
    """Trace the borders of some layers; material lies to the left. Returns points, starts and rings by layer."""
    _, rows, columns = words.shape
    xy = np.empty((1024, 2))
    start = np.zeros(256, np.int64)
    of = np.zeros(layers.shape[0] + 1, np.int64)
    points, rings = 0, 0
    plane = np.zeros((rows + 2, columns + 2), np.bool_)
    done = np.zeros((rows + 2, columns + 2), np.bool_)
    for k in range(layers.shape[0]):
        w, bit = layers[k] // 64, np.uint64(layers[k] % 64)
        for row in range(rows):
            for column in range(columns):
                plane[row + 1, column + 1] = (words[w, row, column] >> bit) & np.uint64(1) != 0
                done[row + 1, column + 1] = False
        for row in range(1, rows + 1):
            for column in range(1, columns + 1):
                if not plane[row, column] or plane[row, column + 1] or done[row, column]:
                    continue
                # Up along the right side of this cell, and on until that is reached again.
                r, c, dr, dc = row, column, 1, 0
                while True:
                    if dr == 1:
                        done[r, c] = True
                    if points + 1 >= xy.shape[0]:
                        more = np.empty((2 * xy.shape[0], 2))
                        more[:points] = xy[:points]
                        xy = more
                    # The side's middle lies half a cell to the right of the way.
                    xy[points, 0] = x0 + (c - 0.5 + 0.5 * dr) * cell
                    xy[points, 1] = y0 + (r - 0.5 - 0.5 * dc) * cell
                    points += 1
                    if not plane[r + dr, c + dc]:
                        dr, dc = dc, -dr  # to the left, round the same cell
                    elif plane[r + dr - dc, c + dc + dr]:
                        r, c = r + dr - dc, c + dc + dr
                        dr, dc = -dc, dr
                    else:
                        r, c = r + dr, c + dc
                    if r == row and c == column and dr == 1:
                        break
                rings += 1
                if rings + 1 > start.shape[0]:
                    longer = np.zeros(2 * start.shape[0], np.int64)
                    longer[:rings] = start[:rings]
                    start = longer
                start[rings] = points
        of[k + 1] = rings
    return xy[:points].copy(), start[: rings + 1].copy(), of
