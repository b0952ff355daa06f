"""Branching infill: lines that grow from the walls upward only as far as the tops need them.

Under each top lie two families of parallel lines. From there down a line needs only what holds the line above it: a
line from wall to wall hangs over a gap no wider than a bridge and draws back toward both walls by the overhang limit
each layer; one that touches one wall draws back toward it; one that touches none leans toward the nearer wall until it
joins it (after Tricard, Claux and Lefebvre, "Ribbed support vaults for 3D printing of hollowed objects", 2019).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.hatch import Strokes, crossings
from even_step.core.plane.ragged import Index, starts_of
from even_step.core.plane.region import Regions

TOUCHES = 0.05  # mm, a line ending this near its room's edge touches the wall
SHORTEST = 1.2  # mm, a line that leans is no shorter


def branching(
    rooms: Regions,
    which: Index,
    draw_back: NDArray[np.float64],
    spacing: float,
    longest: float,
    angles: tuple[float, ...],
    origin: tuple[float, float],
) -> Strokes:
    """Lay branching infill in the layers of a part; cell ``k`` of the strokes is layer ``k``.

    Parameters
    ----------
    rooms : (D,) regions
        Distinct rooms for infill, mm.
    which : (L,) int64
        Which room each layer has.
    draw_back : (L,) float64
        By how much a layer may stand out over the one below, mm.
    spacing : float
        Distance of the lines of a family under a top, mm.
    longest : float
        Bridging length, mm.
    angles : of degrees
        Directions of the families.
    origin : (float, float)
        A point the lines are counted from, mm.
    """
    rings = region.rings(rooms)
    of_room = rings.starts_by_item(len(rooms))
    found: list[tuple[NDArray[np.float64], Index]] = []
    for angle in angles:
        cos, sin = np.round(np.cos(np.radians(angle)), 15), np.round(np.sin(np.radians(angle)), 15)
        turned = (rings.xy - origin) @ np.array([[cos, -sin], [sin, cos]])
        rows = [crossings(turned, rings.start[of_room[i] : of_room[i + 1] + 1], spacing) for i in range(len(rooms))]
        lines, layer = _grown(rows, which, draw_back, longest)
        ends = np.stack((lines[:, [0, 2]], lines[:, [1, 2]]), axis=1).reshape(-1, 2)
        ends[:, 1] *= spacing
        found.append((ends @ np.array([[cos, sin], [-sin, cos]]) + origin, layer))
    layer = np.concatenate([one[1] for one in found])
    order = np.argsort(layer, kind="stable")
    xy = np.concatenate([one[0] for one in found]).reshape(-1, 2, 2)[order].reshape(-1, 2)
    count = len(order)
    return Strokes(
        np.round(xy, 3) + 0.0,
        np.arange(count + 1, dtype=np.int64) * 2,
        np.zeros(count, np.bool_),
        starts_of(np.bincount(layer, minlength=len(which))),
    )


def _grown(
    rows: list[tuple[NDArray[np.float64], Index, int]], which: Index, draw_back: NDArray[np.float64], longest: float
) -> tuple[NDArray[np.float64], Index]:
    """Return the lines of one family, (n, 3): begin, end, row; and the layer of each."""
    needs: NDArray[np.float64] = np.empty((0, 3))
    above: NDArray[np.float64] | None = None
    lines: list[NDArray[np.float64]] = []
    layers: list[int] = []
    for layer in range(len(which) - 1, -1, -1):
        u, start, first = rows[which[layer]]
        row = np.repeat(np.arange(len(start) - 1), np.diff(start) // 2) + first
        room = np.column_stack((u.reshape(-1, 2), row.astype(np.float64)))
        # Nothing covers the topmost layer, so nothing there is to be carried.
        needs = _needs(
            room, room if above is None else above, needs, draw_back[min(layer + 1, len(which) - 1)], longest
        )
        lines.append(needs)
        layers += [layer] * len(needs)
        above = room
    return np.concatenate(lines), np.array(layers, np.int64)


@kernel
def _needs(room, above, needed, back, longest):  # type: ignore[no-untyped-def]
    """Return what of a layer's rows is laid: what is covered above and is room here, and what holds the lines above.

    All three are (n, 3) in the order of rows and places.
    """
    out = np.empty((2 * room.shape[0] + 4 * needed.shape[0] + 2 * above.shape[0] + 8, 3))
    w = 0
    a = 0  # above
    d = 0  # needed
    for r in range(room.shape[0]):
        p, q, row = room[r, 0], room[r, 1], room[r, 2]
        first = w
        while a > 0 and above[a - 1, 2] == row and above[a - 1, 1] > p:
            a -= 1
        while a < above.shape[0] and (above[a, 2] < row or (above[a, 2] == row and above[a, 1] <= p)):
            a += 1
        # What is room here and not above is covered by something.
        at = p
        k = a
        while k < above.shape[0] and above[k, 2] == row and above[k, 0] < q:
            if above[k, 0] > at + TOUCHES:
                out[w, 0], out[w, 1], out[w, 2] = at, above[k, 0], row
                w += 1
            at = max(at, above[k, 1])
            k += 1
        if at < q - TOUCHES:
            out[w, 0], out[w, 1], out[w, 2] = at, q, row
            w += 1
        while d > 0 and needed[d - 1, 2] == row and needed[d - 1, 1] > p:
            d -= 1
        while d < needed.shape[0] and (needed[d, 2] < row or (needed[d, 2] == row and needed[d, 1] <= p)):
            d += 1
        k = d
        while k < needed.shape[0] and needed[k, 2] == row and needed[k, 0] < q:
            w = _held(out, w, needed[k, 0], needed[k, 1], p, q, row, back, longest)
            k += 1
        w = _merged(out, first, w)
    return out[:w].copy()


@kernel
def _held(out, w, begin, end, p, q, row, back, longest):  # type: ignore[no-untyped-def]
    """Put down what holds a line from ``begin`` to ``end`` one layer up, in a room from ``p`` to ``q``."""
    left, right = begin <= p + back + TOUCHES, end >= q - back - TOUCHES
    if left and right:
        gap = max(longest, 2.0 * back)
        if end - begin <= gap:
            return w
        middle = 0.5 * (begin + end)
        out[w, 0], out[w, 1], out[w, 2] = p, middle - 0.5 * gap, row
        out[w + 1, 0], out[w + 1, 1], out[w + 1, 2] = middle + 0.5 * gap, q, row
        return w + 2
    if left:
        begin, end = p, end - back
    elif right:
        begin, end = begin + back, q
    elif begin - p <= q - end:
        begin = max(p, begin - back)
        end = max(end - back, begin + SHORTEST)
    else:
        end = min(q, end + back)
        begin = min(begin + back, end - SHORTEST)
    begin, end = max(begin, p), min(end, q)
    if end - begin < TOUCHES:
        return w
    out[w, 0], out[w, 1], out[w, 2] = begin, end, row
    return w + 1


@kernel
def _merged(out, first, last):  # type: ignore[no-untyped-def]
    """Sort the stretches of one row and join those that meet; returns where the next goes."""
    for i in range(first + 1, last):
        low, high, row = out[i, 0], out[i, 1], out[i, 2]
        j = i
        while j > first and out[j - 1, 0] > low:
            out[j, 0], out[j, 1] = out[j - 1, 0], out[j - 1, 1]
            j -= 1
        out[j, 0], out[j, 1], out[j, 2] = low, high, row
    w = first
    for i in range(first, last):
        if w > first and out[i, 0] <= out[w - 1, 1] + TOUCHES:
            out[w - 1, 1] = max(out[w - 1, 1], out[i, 1])
        else:
            out[w, 0], out[w, 1], out[w, 2] = out[i, 0], out[i, 1], out[i, 2]
            w += 1
    return w
