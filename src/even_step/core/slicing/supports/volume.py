"""A volume of cells over a solid, a bit a layer: what is told of every cell of every layer at once.

Words of 64 layers lie as ``[word, row, column]``, so that moving a plane aside moves 64 layers in one step.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.work import Crew

BITS = 64
MOST_WORDS = 4_000_000  # of a volume: larger parts get larger cells

Words = NDArray[np.uint64]


@dataclass(frozen=True)
class Frame:
    """Where cells lie: the corner of the first (x, y) and their size, mm; rows, columns and layers."""

    corner: tuple[float, float]
    cell: float
    rows: int
    columns: int
    layers: int

    @property
    def words(self) -> int:
        """How many words of 64 layers a cell has."""
        return -(-self.layers // BITS)

    def empty(self) -> Words:
        """Return no cells at all."""
        return np.zeros((self.words, self.rows, self.columns), np.uint64)

    def each(self, crew: Crew, work: Callable[[int, int], object]) -> None:
        """Share rows among threads; ``work`` is given the first and the end of a run."""
        edges = np.linspace(0, self.rows, 4 * crew.threads + 1).astype(int)
        crew.each(work, [(int(a), int(b)) for a, b in pairwise(edges) if b > a])


def frame_of(box: NDArray[np.float64], layers: int, cell: float, pad: float) -> Frame:
    """Lay cells over a part.

    Parameters
    ----------
    box : (4,) float64
        Least x, least y, largest x, largest y, mm.
    layers
        How many the part has.
    cell
        The least size of a cell, mm; large parts get larger ones.
    pad
        How far cells reach beyond the part, mm.
    """
    size = box[2:] - box[:2] + 2 * pad
    words = -(-layers // BITS)
    cell = max(cell, float(np.sqrt(size[0] * size[1] * words / MOST_WORDS)))
    columns, rows = (int(np.ceil(one / cell)) + 2 for one in size)
    corner = np.round(box[:2] - pad - cell, 3)
    return Frame((float(corner[0]), float(corner[1])), cell, rows, columns, layers)


def layer_masks(which: Index, count: int, words: int) -> Words:
    """Return in which layers each of some shapes lies, (count, words); ``which`` is below 0 for a layer of none."""
    out = np.zeros((count, words), np.uint64)
    layers = np.flatnonzero(which >= 0)
    bit = np.left_shift(np.uint64(1), (layers % BITS).astype(np.uint64))
    np.bitwise_or.at(out, (which[layers], layers // BITS), bit)
    return out


def filled(frame: Frame, shapes: Regions, masks: Words, crew: Crew) -> Words:
    """Fill the cells whose middles lie in shapes, in the layers that ``masks`` (n, words) give to each."""
    words = frame.empty()
    rings = region.rings(shapes)
    if len(rings.item):
        _toggle(rings.xy, rings.start, rings.item, masks, *frame.corner, frame.cell, words)
        frame.each(crew, lambda a, b: _sum_up(words, a, b))
    return words


@kernel
def _toggle(xy, start, item, masks, x0, y0, cell, words):  # type: ignore[no-untyped-def]
    """Turn over the first cell behind each crossing of a ring's edge with the middle of a row."""
    count, rows, columns = words.shape
    for r in range(item.shape[0]):
        mask = masks[item[r]]
        first, last = count, -1
        for w in range(count):
            if mask[w] != 0:
                first = min(first, w)
                last = w
        a, b = start[r], start[r + 1]
        j = b - 1
        for i in range(a, b):
            xa, ya, xb, yb = xy[j, 0], xy[j, 1], xy[i, 0], xy[i, 1]
            j = i
            if ya == yb:
                continue
            if ya > yb:
                xa, ya, xb, yb = xb, yb, xa, ya
            low = max(0, int(np.ceil((ya - y0) / cell - 0.5)))
            high = min(rows, int(np.ceil((yb - y0) / cell - 0.5)))
            for row in range(low, high):
                y = y0 + (row + 0.5) * cell
                x = xa + (xb - xa) * (y - ya) / (yb - ya)
                column = max(0, int(np.ceil((x - x0) / cell - 0.5)))
                if column < columns:
                    for w in range(first, last + 1):
                        words[w, row, column] ^= mask[w]
    return 0


@kernel
def _sum_up(words, first, last):  # type: ignore[no-untyped-def]
    """Carry what was turned over along each row: between two crossings lies material."""
    for w in range(words.shape[0]):
        for row in range(first, last):
            carry = np.uint64(0)
            for column in range(words.shape[2]):
                carry ^= words[w, row, column]
                words[w, row, column] = carry
    return 0


def touched(frame: Frame, corners: NDArray[np.float64], cuts: NDArray[np.float64]) -> Words:
    """Mark the cells that facets touch, each in the first layer that is cut above the facet there.

    Parameters
    ----------
    corners : (T, 3, 3) float64
        Of the facets, mm.
    cuts : (L,) float64
        Where the layers are cut, mm.
    """
    words = frame.empty()
    if len(corners):
        _touch(corners, cuts, *frame.corner, frame.cell, frame.layers, words)
    return words


@kernel
def _touch(corners, cuts, x0, y0, cell, layers, words):  # type: ignore[no-untyped-def]
    rows, columns = words.shape[1], words.shape[2]
    for t in range(corners.shape[0]):
        tri = corners[t]
        low = min(tri[0, 2], tri[1, 2], tri[2, 2])
        high = max(tri[0, 2], tri[1, 2], tri[2, 2])
        dx, dy, dz = slope_of(tri)
        least = min(tri[0, 1], tri[1, 1], tri[2, 1])
        most = max(tri[0, 1], tri[1, 1], tri[2, 1])
        first = max(0, int(np.floor((least - y0) / cell)))
        last = min(rows - 1, int(np.floor((most - y0) / cell)))
        for row in range(first, last + 1):
            left, right = _reach(tri, y0 + row * cell, y0 + (row + 1) * cell)
            if right < left:
                continue
            begin = max(0, int(np.floor((left - x0) / cell)))
            end = min(columns - 1, int(np.floor((right - x0) / cell)))
            for column in range(begin, end + 1):
                x, y = x0 + (column + 0.5) * cell, y0 + (row + 0.5) * cell
                z = tri[0, 2] + (x - tri[0, 0]) * dx + (y - tri[0, 1]) * dy if dz else low
                z = min(max(z, low), high)
                layer = np.searchsorted(cuts, z, side="right")
                if 0 < layer < layers:
                    words[layer // 64, row, column] |= np.uint64(1) << np.uint64(layer % 64)
    return 0


@kernel
def slope_of(tri):  # type: ignore[no-untyped-def]
    """Return how a facet rises along x and along y, and whether it does not stand upright."""
    ux, uy, uz = tri[1, 0] - tri[0, 0], tri[1, 1] - tri[0, 1], tri[1, 2] - tri[0, 2]
    vx, vy, vz = tri[2, 0] - tri[0, 0], tri[2, 1] - tri[0, 1], tri[2, 2] - tri[0, 2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    if abs(nz) < 1e-12:
        return 0.0, 0.0, False
    return -nx / nz, -ny / nz, True


@kernel
def _reach(tri, low, high):  # type: ignore[no-untyped-def]
    """Return from where to where a triangle reaches along x between two heights of y."""
    left, right = np.inf, -np.inf
    for i in range(3):
        j = (i + 1) % 3
        xa, ya, xb, yb = tri[i, 0], tri[i, 1], tri[j, 0], tri[j, 1]
        if low <= ya <= high:
            left, right = min(left, xa), max(right, xa)
        for y in (low, high):
            if (ya < y) != (yb < y):
                x = xa + (xb - xa) * (y - ya) / (yb - ya)
                left, right = min(left, x), max(right, x)
    return left, right
