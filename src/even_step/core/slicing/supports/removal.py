"""How supports come off: what of them is shut in, and what stands on the part and marks it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.body import BodySettings, SupportBody
from even_step.core.slicing.supports.growing import grown, lifted
from even_step.core.slicing.supports.held import course_masks
from even_step.core.slicing.supports.volume import Frame, Words, filled, layer_masks, touched
from even_step.core.work import Crew

OPENING = 1.5  # mm, through no narrower one supports come out
Place = tuple[float, float, float]


@dataclass(frozen=True)
class Removal:
    """What of supports does not come off well.

    Attributes
    ----------
    trapped : float
        What no way leads out from, mm³.
    trapped_at : Place
        Where of it there is most, mm.
    stands : float
        What stands on the part, mm².
    stands_at : Place
        Where some of it does, mm.
    on_show : float
        What of it stands on show faces, mm².
    """

    trapped: float
    trapped_at: Place
    stands: float
    stands_at: Place
    on_show: float


NOWHERE = (0.0, 0.0, 0.0)
FREE = Removal(0.0, NOWHERE, 0.0, NOWHERE, 0.0)


def removal(
    body: SupportBody,
    outlines: Outlines,
    seen: NDArray[np.float64],
    frame: Frame,
    heights: Heights,
    settings: BodySettings,
    crew: Crew,
) -> Removal:
    """Find what of supports is shut in by the part, and what stands on it; ``seen`` are show faces turned up.

    What stands on the bed comes off downward. The rest must be reached from outside through openings that are
    ``OPENING`` wide, or by way of other supports, which can be taken out first.
    """
    if len(body.top) == 0:
        return FREE
    part = filled(frame, outlines.outline, layer_masks(outlines.which, len(outlines.outline), frame.words), crew)
    cells = filled(frame, body.shape, course_masks(body, heights, frame.words), crew)
    held = grown(frame, cells, settings.line_width / 2, crew) & ~part
    inner = ~_fallen(frame, held) & held
    # Branches that stand on the bed only lean over the part.
    feet = (inner if settings.kind == "tree" else held) & ~lifted(held)
    stands = feet & _over_part(part, heights, settings)
    trapped = inner & ~_reached(frame, part, held, crew) if inner.any() else inner
    thick = heights.thick
    layers = _by_layer(trapped, frame.layers)
    volume = float((layers * thick).sum()) * frame.cell**2
    area = float(_by_layer(stands, frame.layers).sum()) * frame.cell**2
    shown = stands & _within_gap(touched(frame, seen, heights.cuts), heights, settings)
    on_show = float(_by_layer(shown, frame.layers).sum()) * frame.cell**2
    return Removal(volume, _place(trapped, frame, heights), area, _place(stands, frame, heights), on_show)


def _fallen(frame: Frame, held: Words) -> Words:
    """Return what of supports hangs together with what stands on the bed."""
    first = frame.empty()
    first[0] = held[0] & np.uint64(1)
    return _flooded(first, held)


def _over_part(part: Words, heights: Heights, settings: BodySettings) -> Words:
    """Return the cells that have the part beneath, but for the gap and a step of the foot."""
    return _within_gap(lifted(part), heights, settings)


def _within_gap(words: Words, heights: Heights, settings: BodySettings) -> Words:
    """Return cells with those over them, as far as the gap and a step of the foot reach."""
    deep = settings.gap_below + settings.step
    out = above = words
    for _ in range(int(np.ceil(deep / float(heights.thick.min())))):
        above = lifted(above)
        out = out | above
    return out


def _reached(frame: Frame, part: Words, held: Words, crew: Crew) -> Words:
    """Return the cells that are reached from outside."""
    way = ~grown(frame, part, OPENING / 2, crew) | held
    outside = frame.empty()
    outside[:, 0], outside[:, -1], outside[:, :, 0], outside[:, :, -1] = (~np.uint64(0),) * 4
    outside[0] |= np.uint64(1)
    last = frame.layers - 1
    outside[last // 64] |= np.uint64(1) << np.uint64(last % 64)
    return _flooded(outside & way, way)


def _flooded(start: Words, way: Words) -> Words:
    """Return the cells that some are reached from, step by step through a way."""
    out = start.copy()
    while _sweep(out, way):
        pass
    return out


@kernel
def _sweep(out, way):  # type: ignore[no-untyped-def]
    """Go once over all cells there and back, and tell whether any was added."""
    count, rows, columns = out.shape
    changed = False
    for turn in range(2):
        for i in range(rows):
            row = i if turn == 0 else rows - 1 - i
            for j in range(columns):
                column = j if turn == 0 else columns - 1 - j
                for way_up in range(2):
                    carry = np.uint64(0)
                    for k in range(count):
                        w = k if way_up == 0 else count - 1 - k
                        free = way[w, row, column]
                        before = out[w, row, column]
                        some = before | carry
                        if row > 0:
                            some |= out[w, row - 1, column]
                        if row < rows - 1:
                            some |= out[w, row + 1, column]
                        if column > 0:
                            some |= out[w, row, column - 1]
                        if column < columns - 1:
                            some |= out[w, row, column + 1]
                        some &= free
                        step = np.uint64(1)
                        while some != 0 and step < np.uint64(64):
                            some |= free & ((some << step) if way_up == 0 else (some >> step))
                            free &= (free << step) if way_up == 0 else (free >> step)
                            step <<= np.uint64(1)
                        if some != before:
                            out[w, row, column] = some
                            changed = True
                        if way_up == 0:
                            carry = some >> np.uint64(63)
                        else:
                            carry = (some & np.uint64(1)) << np.uint64(63)
    return changed


def _by_layer(words: Words, layers: int) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Count the cells of each layer."""
    out = np.zeros(64 * len(words), np.int64)
    for w, plane in enumerate(words):
        some = plane[plane != 0]
        out[64 * w : 64 * w + 64] = ((some[:, None] >> np.arange(64, dtype=np.uint64)) & np.uint64(1)).sum(axis=0)
    return out[:layers]


def _place(words: Words, frame: Frame, heights: Heights) -> Place:
    """Return the middle of a cell from the middle of the layer that has most, mm."""
    layers = _by_layer(words, frame.layers)
    layer = int(np.argmax(layers))
    rows, columns = np.nonzero((words[layer // 64] >> np.uint64(layer % 64)) & np.uint64(1))
    if len(rows) == 0:
        return NOWHERE
    i = len(rows) // 2
    x, y = (frame.corner[axis] + (float(cells[i]) + 0.5) * frame.cell for axis, cells in enumerate((columns, rows)))
    return round(x, 3), round(y, 3), float(heights.top[layer])
