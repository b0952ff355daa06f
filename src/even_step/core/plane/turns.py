"""How outlines turn, and what that tells of moving them in without doing it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.region import Regions

BLUNT = 0.15  # mm; a corner's end that is wider is an end of its own
LOST_AREA = 0.02  # mm², less is the rounding of bevelled corners,
LOST_WIDTH = 5e-5  # and for each mm of outline that of short sides that vanish at round corners


def corner_sum(regions: Regions) -> NDArray[np.float64]:
    """Return how fast each outline grows shorter when it is moved in, (n,), mm per mm.

    Moving in by a small ``d`` takes ``2·d·tan(θ/2)`` off at a corner that turns left by θ and adds as much at
    one that turns right, as long as corners stay sharp. Turns past 120° are bevelled and counted as such.
    """
    some = region.rings(regions)
    return np.asarray(_corner_sum(some.xy, some.start, some.item, len(regions)))


@kernel
def _corner_sum(xy, start, item, count):  # type: ignore[no-untyped-def]
    out = np.zeros(count)
    for r in range(item.shape[0]):
        first, last = start[r], start[r + 1]
        for i in range(first, last):
            p = i - 1 if i > first else last - 1
            n = i + 1 if i + 1 < last else first
            ux, uy = xy[i, 0] - xy[p, 0], xy[i, 1] - xy[p, 1]
            vx, vy = xy[n, 0] - xy[i, 0], xy[n, 1] - xy[i, 1]
            # tan(θ/2) = sin θ / (1 + cos θ)
            cross, dot = ux * vy - uy * vx, ux * vx + uy * vy
            size = np.sqrt((ux * ux + uy * uy) * (vx * vx + vy * vy))
            half = cross / (size + dot) if size + dot > 1e-12 * size else 1.8 * np.sign(cross)
            out[item[r]] += 2.0 * half if half > 0.0 else 2.0 * max(half, -1.8)
    return out


def sharpest_turn(regions: Regions, least: float) -> NDArray[np.float64]:
    """Return the sharpest outward corner of each, (n,), degrees by which the outline turns there.

    Sides shorter than ``least`` mm are no part of a corner's sides; where such sides, no longer than ``BLUNT``
    together, blunt a corner, all their turns are one.
    """
    some = region.rings(regions)
    return np.asarray(np.degrees(_sharpest_turn(some.xy, some.start, some.item, len(regions), least)))


@kernel
def _sharpest_turn(xy, start, item, count, least):  # type: ignore[no-untyped-def]
    out = np.zeros(count)
    for r in range(item.shape[0]):
        first, last = start[r], start[r + 1]
        size = last - first
        for i in range(first, last):
            p = i - 1 if i > first else last - 1
            ux, uy = xy[i, 0] - xy[p, 0], xy[i, 1] - xy[p, 1]
            if ux * ux + uy * uy < least * least:
                continue
            turned = skipped = 0.0
            at = i
            for _ in range(size):
                n = at + 1 if at + 1 < last else first
                vx, vy = xy[n, 0] - xy[at, 0], xy[n, 1] - xy[at, 1]
                long = np.hypot(vx, vy)
                if long == 0.0:
                    at = n
                    continue
                turned += np.arctan2(ux * vy - uy * vx, ux * vx + uy * vy)
                if long >= least:
                    out[item[r]] = max(out[item[r]], turned)
                    break
                skipped += long
                if skipped >= BLUNT:
                    break
                ux, uy = vx, vy
                at = n
    return out


def loses(outer: Regions, inner: Regions, depth: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell whether something vanished because it was too narrow to be moved in.

    Moved in by ``d``, an area ``A`` with outline ``L`` becomes ``A − d·L + d²·S/2`` (Steiner's formula, ``S``
    the sum over its corners), as long as nothing vanishes; more than that is left where something did. What is
    small all round may vanish without that, so polygons are counted too.
    """
    length = region.perimeter(outer)
    left = region.area(outer) - depth * length + depth * depth * corner_sum(outer) / 2
    shrunk = region.area(inner) - left > LOST_AREA + LOST_WIDTH * length
    return np.asarray(shrunk | (region.parts(inner) != region.parts(outer)))
