"""Pieces of a layer that touch nothing of the layer below: they begin in the air."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import is_inside
from even_step.core.slicing.regions import Outlines

CORNERS = 4  # of a piece, that are looked up in the layer below


@dataclass(frozen=True, eq=False)
class Islands:
    """Islands of a solid.

    Attributes
    ----------
    shape : (n,) regions
        Single polygons, mm.
    layer : (n,) int64
        The layer each begins in.
    """

    shape: Regions
    layer: Index


def islands(outlines: Outlines) -> Islands:
    """Find the islands of a solid; the first layer lies on the bed."""
    which, none = outlines.which, np.empty(0, np.int64)
    pairs, back = np.unique(np.stack((which[1:], which[:-1]), axis=1), axis=0, return_inverse=True)
    changed = np.flatnonzero(pairs[:, 0] != pairs[:, 1]) if len(pairs) else none
    above, below = pairs[changed].T if len(changed) else (none, none)
    rings, of_outline = outlines.rings, outlines.of_outline
    pair, polygon = _unmet(rings.xy, rings.start, rings.polygon, of_outline, above, below)
    if len(pair) == 0:
        return Islands(region.nothing(0), none)
    # Only what does not plainly meet it has to be asked of the polygon library.
    some, at = np.unique(pair, return_inverse=True)
    parts, owner = region.pieces(outlines.outline[above[some]])
    first = np.searchsorted(owner, np.arange(len(some)))
    pieces = parts[first[at] + polygon - rings.polygon[of_outline[above[pair]]]]
    alone = np.flatnonzero(~region.touches(pieces, outlines.outline[below[pair]]))
    layers = [np.flatnonzero(back.ravel() == changed[pair[i]]) + 1 for i in alone]
    count = [len(one) for one in layers]
    return Islands(np.repeat(pieces[alone], count), np.concatenate(layers) if layers else none)


@kernel
def _unmet(xy, start, polygon, of_outline, above, below):  # type: ignore[no-untyped-def]
    """Return polygons of the outlines ``above`` that do not plainly meet those ``below``: the pair, the polygon.

    A few corners of each are looked up in the other one, no more, for that is what nearly always tells.
    """
    rings = polygon.shape[0]
    box = np.empty((rings, 4))
    for r in range(rings):
        box[r, 0] = box[r, 1] = np.inf
        box[r, 2] = box[r, 3] = -np.inf
        for i in range(start[r], start[r + 1]):
            box[r, 0], box[r, 1] = min(box[r, 0], xy[i, 0]), min(box[r, 1], xy[i, 1])
            box[r, 2], box[r, 3] = max(box[r, 2], xy[i, 0]), max(box[r, 3], xy[i, 1])
    room = 0
    for k in range(above.shape[0]):
        room += of_outline[above[k] + 1] - of_outline[above[k]]
    pair, number = np.empty(room, np.int64), np.empty(room, np.int64)
    n = 0
    for k in range(above.shape[0]):
        last = of_outline[above[k] + 1]
        c, d = of_outline[below[k]], of_outline[below[k] + 1]
        a = of_outline[above[k]]
        while a < last:
            b = a + 1
            while b < last and polygon[b] == polygon[a]:
                b += 1  # its holes
            if not _meet(xy, start, polygon, box, a, b, c, d):
                pair[n], number[n] = k, polygon[a]
                n += 1
            a = b
    return pair[:n].copy(), number[:n].copy()


@kernel
def _meet(xy, start, polygon, box, a, b, c, d):  # type: ignore[no-untyped-def]
    """Tell whether the polygon of rings ``a`` to ``b`` plainly meets those of rings ``c`` to ``d``."""
    size = start[a + 1] - start[a]
    for m in range(CORNERS):
        i = start[a] + m * size // CORNERS
        if size > 0 and _is_within(xy, start, box, c, d, xy[i, 0], xy[i, 1]):
            return True
    for r in range(c, d):
        i = start[r]
        if (r == c or polygon[r] != polygon[r - 1]) and _is_within(xy, start, box, a, b, xy[i, 0], xy[i, 1]):
            return True
    return False


@kernel
def _is_within(xy, start, box, first, last, x, y):  # type: ignore[no-untyped-def]
    odd = False
    for r in range(first, last):
        if box[r, 0] <= x <= box[r, 2] and box[r, 1] <= y <= box[r, 3] and is_inside(x, y, xy, start[r], start[r + 1]):
            odd = not odd
    return odd
