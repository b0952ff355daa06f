"""Single lines along the middle of narrow places, as wide as the room they have."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.axis import axes
from even_step.core.plane.ragged import Points, Rings
from even_step.core.plane.region import Regions
from even_step.core.slicing.laid import Strand

SPACING = 0.25  # mm between points where the width may change
SHORTEST = 0.04  # mm, shorter lines hold nothing
MOST_BEND = 0.012  # mm, how far simplified middle lines may lie off


@dataclass(frozen=True)
class Bounds:
    """Narrowest and widest line as drawn, and what rounding takes off a line's width, mm."""

    narrowest: float
    widest: float
    rounding: float

    def pair_above(self) -> float:
        """Thickness from which two lines are laid instead of one."""
        return self.widest - self.rounding

    def full_above(self, filled: float) -> float:
        """Thickness from which two full lines leave room for a further one."""
        return 2 * filled + self.narrowest - self.rounding


def singles(thin: Regions, walls: Rings, bounds: Bounds, widest: float, level: int, *, thicken: bool) -> list[Strand]:
    """Lay lines along the middle of narrow places: one, or two where the thickness is too much for one."""
    middle = axes(thin, walls, widest, SPACING)
    out: list[Strand] = []
    for k, item in enumerate(middle.item):
        a, b = int(middle.start[k]), int(middle.start[k + 1])
        xy, thick = middle.xy[a:b], np.clip(2 * middle.radius[a:b], 0.0, widest)
        for first, last in _stretches(thick, bounds, thicken=thicken):
            line = xy[first:last]
            if float(np.hypot(*np.diff(line, axis=0).T).sum()) >= SHORTEST:
                free = (bool(middle.free[k, 0]) and first == 0, bool(middle.free[k, 1]) and last == len(xy))
                laid = _laid(line, thick[first:last], free, bounds)
                out += [(one, wide, int(item), level) for one, wide in laid]
    return out


def _stretches(thick: NDArray[np.float64], bounds: Bounds, *, thicken: bool) -> list[tuple[int, int]]:
    """Return where a middle line is thick enough for a line to be laid, as ranges of its points."""
    enough = np.ones(len(thick), bool) if thicken else thick >= bounds.narrowest - bounds.rounding
    edges = np.flatnonzero(np.diff(np.concatenate(([False], enough, [False])).astype(np.int8)))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a > 1]


def _laid(
    line: Points, thick: NDArray[np.float64], free: tuple[bool, bool], bounds: Bounds
) -> list[tuple[Points, NDArray[np.float64]]]:
    """Turn a middle line into one line, or two side by side where it is thicker than the widest line."""
    double = thick > bounds.pair_above()
    cuts = np.flatnonzero(np.diff(double.astype(np.int8))) + 1
    out: list[tuple[Points, NDArray[np.float64]]] = []
    for first, last in pairwise((0, *cuts.tolist(), len(line))):
        span = slice(first, last + 1)  # a point at a change belongs to both sides, so that no gap opens
        some, width = line[span], thick[span]
        if len(some) < 2:
            continue
        width = np.maximum(width, bounds.pair_above()) if double[first] else width
        if not double[first]:
            out.append(_thinned(some, np.clip(width + bounds.rounding, bounds.narrowest, bounds.widest)))
            continue
        along = np.gradient(some, axis=0)
        along /= np.maximum(np.hypot(*along.T), 1e-12)[:, None]
        # The middle line ends half a thickness from the end of the place, each of two lines need only a quarter.
        some = some.copy()
        some[0] -= along[0] * (width[0] / 4 if free[0] and first == 0 else 0.0)
        some[-1] += along[-1] * (width[-1] / 4 if free[1] and last == len(line) else 0.0)
        aside = np.stack((-along[:, 1], along[:, 0]), axis=1) * (width / 4)[:, None]
        out.append(_thinned(some + aside, width / 2 + bounds.rounding))
        out.append(_thinned((some - aside)[::-1], width[::-1] / 2 + bounds.rounding))
    return out


def _thinned(line: Points, width: NDArray[np.float64]) -> tuple[Points, NDArray[np.float64]]:
    """Smooth a line and its widths a little, drop points it does not need, give each stretch its mean width."""
    if len(line) > 3:
        closed = bool((line[0] == line[-1]).all())
        soft, wide = line.copy(), width.copy()
        soft[1:-1] = (line[:-2] + 2 * line[1:-1] + line[2:]) / 4
        wide[1:-1] = (width[:-2] + 2 * width[1:-1] + width[2:]) / 4
        if closed:
            soft[0] = soft[-1] = (line[-2] + 2 * line[0] + line[1]) / 4
        line, width = soft, wide
    keep = np.zeros(len(line), np.bool_)
    _needed(line, width, keep)
    line, width = line[keep], width[keep]
    width = np.append((width[:-1] + width[1:]) / 2, width[-1])
    return line, width


@kernel
def _needed(line, width, keep):  # type: ignore[no-untyped-def]
    """Mark the points a line needs: it bends there, or its width has changed by a step."""
    count = line.shape[0]
    keep[0] = keep[count - 1] = True
    at = 0
    while at < count - 1:
        best = at + 1
        for j in range(at + 2, count):
            ux, uy = line[j, 0] - line[at, 0], line[j, 1] - line[at, 1]
            long = np.sqrt(ux * ux + uy * uy)
            if long == 0.0 or abs(width[j] - width[at]) > 0.02:
                break
            straight = True
            for i in range(at + 1, j):
                px, py = line[i, 0] - line[at, 0], line[i, 1] - line[at, 1]
                if abs(px * uy - py * ux) > MOST_BEND * long:
                    straight = False
                    break
            if not straight:
                break
            best = j
        keep[best] = True
        at = best
    return 0
