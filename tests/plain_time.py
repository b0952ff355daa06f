"""A plain trapezoid simulation of a planner, written apart from ours: no arrays, no kernels."""

from __future__ import annotations

import itertools
import math


def simulate(moves, speed, acceleration, junction):
    """Seconds for a list of ``PlainMove``: forward and backward passes over the whole path at once."""
    steps = []
    for move in moves:
        delta = [b - a for a, b in zip(move.start, move.end, strict=True)]
        if any(math.isnan(d) for d in delta):
            continue
        way = math.sqrt(sum(d * d for d in delta))
        head = way > 1e-9
        length = way if head else abs(move.e)
        if length < 1e-9:
            continue
        direction = [d / length for d in delta] + [move.e / length]
        top, gain = move.feed / 60, move.gain
        for unit, v, a in zip(direction, speed, acceleration, strict=True):
            if unit:
                top, gain = min(top, v / abs(unit)), min(gain, a / abs(unit))
        steps.append((length, direction[:3], top, gain, head))
    corner = [0.0]
    for (_, u, top_u, gain_u, head_u), (_, v, top_v, gain_v, head_v) in itertools.pairwise(steps):
        if not (head_u and head_v):
            corner.append(0.0)
            continue
        cos = sum(a * b for a, b in zip(u, v, strict=True))
        half = math.sqrt(max(0.0, (1 + cos) / 2))  # sine of half the angle between the moves
        limit = math.inf if half > 0.999999 else math.sqrt(min(gain_u, gain_v) * junction * half / (1 - half))
        corner.append(min(limit, top_u, top_v))
    corner.append(0.0)
    for i in range(len(steps) - 1, -1, -1):
        corner[i] = min(corner[i], math.sqrt(corner[i + 1] ** 2 + 2 * steps[i][3] * steps[i][0]))
    total = 0.0
    for i, (length, _, top, gain, _) in enumerate(steps):
        v0 = corner[i]
        v1 = corner[i + 1] = min(corner[i + 1], math.sqrt(v0**2 + 2 * gain * length))
        peak = min(top, math.sqrt(gain * length + (v0**2 + v1**2) / 2))
        ramp_up, ramp_down = (peak**2 - v0**2) / (2 * gain), (peak**2 - v1**2) / (2 * gain)
        total += (peak - v0) / gain + (peak - v1) / gain + max(0.0, length - ramp_up - ramp_down) / peak
    return total
