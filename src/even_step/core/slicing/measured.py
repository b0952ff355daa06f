"""Outlines measured for narrow walls: how thick the region is all along, ready to be followed."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.thickness import net_of, thickness
from even_step.core.plane.trace import ring_area
from even_step.core.plane.valid import SLIVER


@kernel
def measured(xy, start, polygon, spacing, most):  # type: ignore[no-untyped-def]
    """Measure a region all along its outline, every ``spacing`` mm, as far as ``most`` mm.

    Returns its edges in a grid; the polygon of each ring, counted from 0; samples (points along it with the way each
    moves when it is moved in, the edge after each, where rings begin, thickness, whether that was measured there or
    taken from beside a corner, the centre of the largest circle that touches it, thickness again, which stays where the
    other is evened out); what each lies on; how far each may
    be moved in, mm; and the sample that its circle touches across, −1 for none that faces it.
    """
    xy, start, polygon = _real_rings(xy, start, polygon)
    net = net_of(xy, start)
    at, kind, edge, starts, room, thick, sure, mate, centre = thickness(net, start, spacing, most)
    return net, polygon, (at, edge, starts, thick, sure, centre, thick.copy()), kind, room, mate


@kernel
def _real_rings(xy, start, polygon):  # type: ignore[no-untyped-def]
    """Copy rings without repeated points, and without holes that come from rounding: these may touch what is round."""
    rings = polygon.shape[0]
    out = np.empty((start[rings] - start[0], 2))
    begin, owner = np.zeros(rings + 1, np.int64), np.empty(rings, np.int64)
    n, w = 0, 0
    for r in range(rings):
        a, b = start[r], start[r + 1]
        for i in range(a, b):
            j = i - 1 if i > a else b - 1
            if xy[i, 0] != xy[j, 0] or xy[i, 1] != xy[j, 1]:
                out[w, 0], out[w, 1] = xy[i, 0], xy[i, 1]
                w += 1
        if w == begin[n] and b > a:  # all its points are one
            out[w, 0], out[w, 1] = xy[a, 0], xy[a, 1]
            w += 1
        if r > 0 and polygon[r] == polygon[r - 1] and ring_area(out, begin[n], w) > -SLIVER:
            w = begin[n]
            continue
        owner[n] = polygon[r] - polygon[0]
        n += 1
        begin[n] = w
    return out[:w].copy(), begin[: n + 1].copy(), owner[:n].copy()
