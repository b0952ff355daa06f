"""Growing, closing and filling downward of volumes of cells, 64 layers at a time."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index
from even_step.core.slicing.supports.volume import Frame, Words
from even_step.core.work import Crew

DIAGONAL = 1.5  # steps of a king's and a rook's move in turn make an octagon, nearly a disc


def grown(frame: Frame, words: Words, radius: float, crew: Crew) -> Words:
    """Return the cells whose middles lie within a radius, mm, of some."""
    reach = spans(radius / frame.cell)
    out = np.empty_like(words)
    frame.each(crew, lambda a, b: _grow(words, reach, out, a, b))
    return out


def spans(radius: float) -> Index:
    """Return how many columns a disc of a radius in cells reaches to each side, row by row from its middle."""
    rows = np.arange(int(radius + 1e-6) + 1)
    wide: Index = np.floor(np.sqrt(np.maximum(radius**2 - rows**2, 0.0)) + 1e-6).astype(np.int64)
    return wide


@kernel
def _grow(words, reach, out, first, last):  # type: ignore[no-untyped-def]
    count, rows, columns = words.shape
    tall = reach.shape[0] - 1
    for w in range(count):
        for row in range(first, last):
            for column in range(columns):
                out[w, row, column] = 0
            for dy in range(-tall, tall + 1):
                at = row + dy
                if at < 0 or at >= rows:
                    continue
                wide = reach[abs(dy)]
                for column in range(columns):
                    some = words[w, at, column]
                    if some == 0:
                        continue
                    for near in range(max(0, column - wide), min(columns, column + wide + 1)):
                        out[w, row, near] |= some
    return 0


def flooded(frame: Frame, words: Words, free: Words, radius: float, crew: Crew) -> Words:
    """Grow cells by a radius, mm, through free cells only: not through a thin wall to what lies behind it."""
    out = words & free
    left = radius / frame.cell
    king = False
    while left >= 1.0 - 1e-6:
        king = left >= DIAGONAL and not king
        out = _stepped(frame, out, free, crew, king=king)
        left -= 1.0
    return out


def _stepped(frame: Frame, words: Words, free: Words, crew: Crew, *, king: bool) -> Words:
    out = np.empty_like(words)
    frame.each(crew, lambda a, b: _step(words, free, king, out, a, b))
    return out


@kernel
def _step(words, free, king, out, first, last):  # type: ignore[no-untyped-def]
    count, rows, columns = words.shape
    for w in range(count):
        for row in range(first, last):
            for column in range(columns):
                some = words[w, row, column]
                for dy in range(-1, 2):
                    at = row + dy
                    if at < 0 or at >= rows:
                        continue
                    for dx in range(-1, 2):
                        near = column + dx
                        if near < 0 or near >= columns or (not king and dx != 0 and dy != 0):
                            continue
                        some |= words[w, at, near]
                out[w, row, column] = some & free[w, row, column]
    return 0


def closed(frame: Frame, words: Words, radius: float, crew: Crew) -> Words:
    """Fill what no disc of a radius, mm, fits between."""
    return ~grown(frame, ~grown(frame, words, radius, crew), radius, crew)


def opened(frame: Frame, words: Words, radius: float, crew: Crew) -> Words:
    """Leave out what no disc of a radius, mm, fits into."""
    return grown(frame, ~grown(frame, ~words, radius, crew), radius, crew)


def downward(frame: Frame, words: Words, free: Words, crew: Crew) -> Words:
    """Return the cells from which one of some is reached straight upward through free cells, with these."""
    out = np.empty_like(words)
    frame.each(crew, lambda a, b: _down(words, free, out, a, b))
    return out


@kernel
def _down(words, free, out, first, last):  # type: ignore[no-untyped-def]
    count, _, columns = words.shape
    for row in range(first, last):
        for column in range(columns):
            carry = np.uint64(0)
            for w in range(count - 1, -1, -1):
                way = free[w, row, column]
                some = (words[w, row, column] | (carry << np.uint64(63))) & way
                if some != 0:
                    some |= way & (some >> np.uint64(1))
                    way &= way >> np.uint64(1)
                    some |= way & (some >> np.uint64(2))
                    way &= way >> np.uint64(2)
                    some |= way & (some >> np.uint64(4))
                    way &= way >> np.uint64(4)
                    some |= way & (some >> np.uint64(8))
                    way &= way >> np.uint64(8)
                    some |= way & (some >> np.uint64(16))
                    way &= way >> np.uint64(16)
                    some |= way & (some >> np.uint64(32))
                out[w, row, column] = some
                carry = some & np.uint64(1)
    return 0


def lowered(words: Words) -> Words:
    """Return the cells one layer beneath some."""
    out = np.empty_like(words)
    out[:-1] = (words[:-1] >> np.uint64(1)) | (words[1:] << np.uint64(63))
    out[-1:] = words[-1:] >> np.uint64(1)
    return out


def lifted(words: Words) -> Words:
    """Return the cells one layer over some."""
    out = words << np.uint64(1)
    out[1:] |= words[:-1] >> np.uint64(63)
    return out


def standing(frame: Frame, words: Words, layers: int, crew: Crew, *, on_bed: bool) -> Words:
    """Return the upright runs of cells that have some number of layers, and, if asked for, reach down to the bed."""
    out = np.empty_like(words)
    frame.each(crew, lambda a, b: _runs(words, frame.layers, layers, on_bed, out, a, b))
    return out


@kernel
def _runs(words, layers, least, on_bed, out, first, last):  # type: ignore[no-untyped-def]
    count, _, columns = words.shape
    for row in range(first, last):
        for column in range(columns):
            some = np.uint64(0)
            for w in range(count):
                some |= words[w, row, column]
                out[w, row, column] = 0
            if some == 0:
                continue
            begin = -1
            for layer in range(layers + 1):
                bits = words[layer // 64, row, column] if layer < layers else np.uint64(0)
                there = (bits >> np.uint64(layer % 64)) & np.uint64(1) != 0
                if there and begin < 0:
                    begin = layer
                elif not there and begin >= 0:
                    if layer - begin >= least and (begin == 0 or not on_bed):
                        for k in range(begin, layer):
                            out[k // 64, row, column] |= np.uint64(1) << np.uint64(k % 64)
                    begin = -1
    return 0


def off(frame: Frame, words: Words, places: Words, crew: Crew) -> Words:
    """Return the upright runs of cells that begin at none of some places, a layer more or less."""
    out = np.empty_like(words)
    frame.each(crew, lambda a, b: _off(words, places, frame.layers, out, a, b))
    return out


@kernel
def _off(words, places, layers, out, first, last):  # type: ignore[no-untyped-def]
    count, _, columns = words.shape
    one = np.uint64(1)
    for row in range(first, last):
        for column in range(columns):
            some = np.uint64(0)
            for w in range(count):
                some |= places[w, row, column]
                out[w, row, column] = words[w, row, column]
            if some == 0:
                continue
            there, kept = False, True
            for layer in range(layers):
                w, bit = layer // 64, one << np.uint64(layer % 64)
                if words[w, row, column] & bit == 0:
                    there = False
                    continue
                if not there:
                    there, kept = True, True
                    for near in range(max(layer - 1, 0), min(layer + 2, layers)):
                        if (places[near // 64, row, column] >> np.uint64(near % 64)) & one != 0:
                            kept = False
                if not kept:
                    out[w, row, column] &= ~bit
    return 0
