"""Which way lines laid over a gap are held best."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane import region
from even_step.core.plane.ragged import Rings
from even_step.core.plane.region import Regions
from even_step.core.plane.stretches import sort_short
from even_step.core.plane.trace import is_inside

STEP = 5.0  # degrees between directions tried
ROWS = 24  # lines tried a direction
BEYOND = 0.1  # mm, so far past its edge a line must meet its hold


@dataclass(frozen=True)
class Span:
    """How lines over a gap lie: direction in degrees, the share of them held at both ends, the longest of these, mm."""

    angle: float
    held: float
    longest: float


def best_span(gap: Regions, hold: Regions) -> Span:
    """Find the direction in which most lines over a gap are held at both ends, then the one with the shortest spans.

    Parameters
    ----------
    gap, hold : (1,) regions
        What lies over air, and what can hold it, mm.
    """
    over, under = region.rings(gap), region.rings(hold)
    angles = np.concatenate((np.arange(0.0, 180.0, STEP), _edge_directions(over)))
    at, held, longest = _best(over.xy, over.start, under.xy, under.start, np.radians(angles))
    return Span(float(angles[at]), held, longest) if at >= 0 else Span(0.0, 0.0, 0.0)


def shortest_chord(gap: Regions, hold: Regions, x: float, y: float) -> Span:
    """Find the shortest line through a point of a gap from hold to hold; ``held`` is 0 where there is none."""
    over, under = region.rings(gap), region.rings(hold)
    angles = np.radians(np.concatenate((np.arange(0.0, 180.0, STEP), _edge_directions(over))))
    angle, long = _chord(over.xy, over.start, under.xy, under.start, x, y, angles)
    return Span(float(np.degrees(angle)), float(long > 0.0), long)


def longest_line(cell: Regions, angle: float) -> float:
    """Return how long lines in a direction (degrees) become at most in a region, mm."""
    rings, everywhere = region.rings(cell), region.rings(region.offset(cell, 1.0))
    return float(_held(rings.xy, rings.start, everywhere.xy, everywhere.start, np.radians(angle))[2])


def _edge_directions(rings: Rings) -> list[float]:
    """Return the directions of the longest edges and those across, degrees."""
    first, last = rings.start[0], rings.start[1]
    edges = np.roll(rings.xy[first:last], -1, axis=0) - rings.xy[first:last]
    longest = np.argsort(-np.hypot(*edges.T), kind="stable")[:3]
    along = np.degrees(np.arctan2(edges[longest, 1], edges[longest, 0])) % 180.0
    return [float(angle) for angle in np.concatenate((along, (along + 90.0) % 180.0))]


@kernel
def _best(over, over_start, under, under_start, angles):  # type: ignore[no-untyped-def]
    """Return which direction is best, −1 for none, the share of its lines that is held, and the longest of these."""
    at, share, longest = -1, 0.0, 0.0
    least = np.inf
    for k in range(angles.shape[0]):
        held, mean, long = _held(over, over_start, under, under_start, angles[k])
        cost = (1.0 - np.rint(held * 20.0) / 20.0) * 1000.0 + long + 0.1 * mean
        if cost < least - 1e-9:
            at, share, longest, least = k, held, long, cost
    return at, share, longest


@kernel
def _held(over, over_start, under, under_start, angle):  # type: ignore[no-untyped-def]
    """Return the share of length held at both ends, and the mean (by length) and the longest span so held."""
    cos, sin = np.cos(angle), np.sin(angle)
    v_low, v_high = np.inf, -np.inf
    count = over_start[over_start.shape[0] - 1]
    uv = np.empty((count, 2))
    for i in range(count):
        uv[i, 0] = over[i, 0] * cos + over[i, 1] * sin
        uv[i, 1] = over[i, 1] * cos - over[i, 0] * sin
        v_low, v_high = min(v_low, uv[i, 1]), max(v_high, uv[i, 1])
    total = held = longest = 0.0
    squares = 0.0
    cuts = np.empty(count)
    for row in range(ROWS):
        v = v_low + (v_high - v_low) * (row + 0.5) / ROWS
        m = 0
        for r in range(over_start.shape[0] - 1):
            j = over_start[r + 1] - 1
            for i in range(over_start[r], over_start[r + 1]):
                if (uv[i, 1] > v) != (uv[j, 1] > v):
                    cuts[m] = uv[i, 0] + (uv[j, 0] - uv[i, 0]) * (v - uv[i, 1]) / (uv[j, 1] - uv[i, 1])
                    m += 1
                j = i
        sort_short(cuts, 0, m)
        for k in range(0, m - 1, 2):
            long = cuts[k + 1] - cuts[k]
            total += long
            both = True
            for u in (cuts[k] - BEYOND, cuts[k + 1] + BEYOND):
                both = both and _is_over(u * cos - v * sin, u * sin + v * cos, under, under_start)
            if both:
                held += long
                squares += long * long
                longest = max(longest, long)
    share = held / total if total > 0.0 else 0.0
    return share, squares / held if held > 0.0 else np.inf, longest


@kernel
def _is_over(x, y, under, start):  # type: ignore[no-untyped-def]
    odd = False
    for r in range(start.shape[0] - 1):
        if is_inside(x, y, under, start[r], start[r + 1]):
            odd = not odd
    return odd


@kernel
def _chord(over, over_start, under, under_start, x, y, angles):  # type: ignore[no-untyped-def]
    """Return direction and length of the shortest chord through a point that is held at both ends; 0 for none."""
    best, shortest = 0.0, np.inf
    for angle in angles:
        cos, sin = np.cos(angle), np.sin(angle)
        ahead, back = np.inf, np.inf
        for r in range(over_start.shape[0] - 1):
            j = over_start[r + 1] - 1
            for i in range(over_start[r], over_start[r + 1]):
                ax, ay, bx, by = over[j, 0] - x, over[j, 1] - y, over[i, 0] - x, over[i, 1] - y
                u0, v0 = ax * cos + ay * sin, ay * cos - ax * sin
                u1, v1 = bx * cos + by * sin, by * cos - bx * sin
                j = i
                if (v0 > 0.0) != (v1 > 0.0):
                    u = u0 - v0 * (u1 - u0) / (v1 - v0)
                    if u >= 0.0:
                        ahead = min(ahead, u)
                    else:
                        back = min(back, -u)
        if ahead + back >= shortest:
            continue
        a, b = ahead + BEYOND, -back - BEYOND
        if _is_over(x + a * cos, y + a * sin, under, under_start) and _is_over(
            x + b * cos, y + b * sin, under, under_start
        ):
            best, shortest = angle, ahead + back
    return best, shortest if shortest < np.inf else 0.0
