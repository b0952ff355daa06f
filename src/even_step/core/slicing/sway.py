"""How far members of a part give way under the nozzle before they join something: a beam held at its foot."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index, Points
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.regions import Outlines

PULL = 0.5  # N, of the nozzle on the line it lays
STIFFNESS = 2000.0  # N/mm², of printed plastic
SLIMMEST = 0.8  # mm, the side of the square that the slimmest section counts as: two lines


@dataclass(frozen=True, eq=False)
class Sway:
    """Where members end, or join others.

    Attributes
    ----------
    layer : (n,) int64
        The last layer in which each stands alone.
    at : (n, 2) float64
        Its middle there, mm.
    gives : (n,) float64
        How far it gives way there, mm.
    foot : (n,) float64
        At which height it leaves what holds it, mm.
    """

    layer: Index
    at: Points
    gives: NDArray[np.float64]
    foot: NDArray[np.float64]


def sway(outlines: Outlines, heights: Heights) -> Sway:
    """Find how far each member gives way, from the pieces of the layers.

    A piece that lies on one piece of the layer below goes on from it; one that lies on several is held by them, and
    begins anew, as does one that begins in the air: supports hold it. A member that is held at its foot and pulled by
    F at the height h gives way by the sum of F (h − z)² dz / (E I) over its layers (Euler and Bernoulli), I being the
    least second moment of the section at z.
    """
    rings = outlines.rings
    pieces = int(rings.polygon[-1]) + 1 if len(rings.polygon) else 0
    ring = np.searchsorted(rings.polygon, np.arange(pieces + 1)).astype(np.int64)
    shape = rings.item[ring[:-1]] if pieces else np.empty(0, np.int64)
    first = np.searchsorted(shape, np.arange(len(outlines.outline) + 1)).astype(np.int64)
    middle, moment, inner, box = _sections(rings.xy, rings.start, ring)
    soft = 1.0 / np.maximum(moment, SLIMMEST**4 / 12.0)
    nodes = int(np.diff(first)[outlines.which].sum())
    layer, piece, gives, foot = _follow(
        outlines.which, first, soft, inner, box, rings.xy, rings.start, ring, heights.thick, heights.top, nodes
    )
    return Sway(layer, middle[piece], gives * PULL / STIFFNESS, foot)


@kernel
def _sections(xy, start, ring):  # type: ignore[no-untyped-def]
    """Return middle, least second moment (mm⁴), a point within and the box of each piece; ``ring`` says its rings."""
    count = ring.shape[0] - 1
    middle, moment, inner, box = np.empty((count, 2)), np.empty(count), np.empty((count, 2)), np.empty((count, 4))
    for p in range(count):
        x0, y0 = xy[start[ring[p]], 0], xy[start[ring[p]], 1]
        area = ax = ay = xx = yy = xy_ = 0.0
        low_x = low_y = np.inf
        high_x = high_y = -np.inf
        for i in range(start[ring[p]], start[ring[p + 1]]):
            low_x, high_x = min(low_x, xy[i, 0]), max(high_x, xy[i, 0])
            low_y, high_y = min(low_y, xy[i, 1]), max(high_y, xy[i, 1])
        for r in range(ring[p], ring[p + 1]):
            j = start[r + 1] - 1
            for i in range(start[r], start[r + 1]):
                xa, ya, xb, yb = xy[j, 0] - x0, xy[j, 1] - y0, xy[i, 0] - x0, xy[i, 1] - y0
                j = i
                cross = xa * yb - xb * ya
                area += cross / 2.0
                ax += (xa + xb) * cross / 6.0
                ay += (ya + yb) * cross / 6.0
                xx += (xa * xa + xa * xb + xb * xb) * cross / 12.0
                yy += (ya * ya + ya * yb + yb * yb) * cross / 12.0
                xy_ += (xa * yb + 2.0 * xa * ya + 2.0 * xb * yb + xb * ya) * cross / 24.0
        if area < 1e-9:
            middle[p, 0], middle[p, 1], moment[p] = x0, y0, 0.0
        else:
            mx, my = ax / area, ay / area
            xx, yy, xy_ = xx - area * mx * mx, yy - area * my * my, xy_ - area * mx * my
            middle[p, 0], middle[p, 1] = x0 + mx, y0 + my
            moment[p] = (xx + yy) / 2.0 - np.hypot((xx - yy) / 2.0, xy_)
        box[p, 0], box[p, 1], box[p, 2], box[p, 3] = low_x, low_y, high_x, high_y
        inner[p, 0], inner[p, 1] = _within(xy, start, ring[p], ring[p + 1], middle[p, 1])
    return middle, moment, inner, box


@kernel
def _within(xy, start, first, last, y):  # type: ignore[no-untyped-def]
    """Return the middle of the longest stretch of a height that lies within some rings."""
    found = np.empty(start[last] - start[first])
    count = 0
    for r in range(first, last):
        j = start[r + 1] - 1
        for i in range(start[r], start[r + 1]):
            if (xy[i, 1] > y) != (xy[j, 1] > y):
                found[count] = xy[j, 0] + (y - xy[j, 1]) * (xy[i, 0] - xy[j, 0]) / (xy[i, 1] - xy[j, 1])
                count += 1
            j = i
    cross = np.sort(found[:count])
    long, at = -1.0, xy[start[first], 0]
    for i in range(0, count - 1, 2):
        if cross[i + 1] - cross[i] > long:
            long = cross[i + 1] - cross[i]
            at = (cross[i] + cross[i + 1]) / 2.0
    return at, y


@kernel
def _holds(xy, start, first, last, box, x, y):  # type: ignore[no-untyped-def]
    """Whether a point lies within the rings of a piece."""
    if x < box[0] or y < box[1] or x > box[2] or y > box[3]:
        return False
    inside = False
    for r in range(first, last):
        j = start[r + 1] - 1
        for i in range(start[r], start[r + 1]):
            (xa, ya), (xb, yb) = xy[i], xy[j]
            if (ya > y) != (yb > y) and x < xb + (y - yb) * (xa - xb) / (ya - yb):
                inside = not inside
            j = i
    return inside


@kernel
def _follow(which, first, soft, inner, box, xy, start, ring, thick, top, nodes):  # type: ignore[no-untyped-def]
    """Follow pieces upward with the sums of dz/I, z dz/I and z² dz/I; return where they end, and what they give."""
    layer, piece = np.empty(nodes, np.int64), np.empty(nodes, np.int64)
    gives, foot = np.empty(nodes), np.empty(nodes)
    ends = 0
    most = 0
    for k in range(which.shape[0]):
        most = max(most, first[which[k] + 1] - first[which[k]])
    sums, below = np.zeros((most, 4)), np.zeros((most, 4))
    for k in range(which.shape[0]):
        mine, high = first[which[k]], first[which[k] + 1]
        same = k > 0 and which[k] == which[k - 1]
        under, upto = (first[which[k - 1]], first[which[k - 1] + 1]) if k > 0 else (0, 0)
        sums, below = below, sums
        goes_on = np.zeros(upto - under, np.bool_)
        z = top[k] - thick[k] / 2.0
        for p in range(mine, high):
            parents, parent = 0, -1
            if same:
                parents, parent = 1, p
            else:
                for q in range(under, upto):
                    if _holds(xy, start, ring[q], ring[q + 1], box[q], inner[p, 0], inner[p, 1]) or _holds(
                        xy, start, ring[p], ring[p + 1], box[p], inner[q, 0], inner[q, 1]
                    ):
                        parents += 1
                        parent = q
            if parents == 1:
                goes_on[parent - under] = True
                for i in range(4):
                    sums[p - mine, i] = below[parent - under, i]
            else:
                sums[p - mine, 0] = sums[p - mine, 1] = sums[p - mine, 2] = 0.0
                sums[p - mine, 3] = top[k] - thick[k]
            sums[p - mine, 0] += thick[k] * soft[p]
            sums[p - mine, 1] += thick[k] * soft[p] * z
            sums[p - mine, 2] += thick[k] * soft[p] * z * z
        for q in range(under, upto):
            if not goes_on[q - under]:
                h = top[k - 1]
                layer[ends], piece[ends] = k - 1, q
                gives[ends] = h * h * below[q - under, 0] - 2.0 * h * below[q - under, 1] + below[q - under, 2]
                foot[ends] = below[q - under, 3]
                ends += 1
    k = which.shape[0] - 1
    if k >= 0:
        for p in range(first[which[k]], first[which[k] + 1]):
            i, h = p - first[which[k]], top[k]
            layer[ends], piece[ends] = k, p
            gives[ends] = h * h * sums[i, 0] - 2.0 * h * sums[i, 1] + sums[i, 2]
            foot[ends] = sums[i, 3]
            ends += 1
    return layer[:ends], piece[:ends], gives[:ends], foot[:ends]
