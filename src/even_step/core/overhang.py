"""From which angle on something hangs: one rule for canvas, poses, figures and stages."""

from __future__ import annotations

from typing import TypeAlias

Limits: TypeAlias = tuple[float, float, float, float]


def limit_toward(limits: Limits, degrees: float) -> float:
    """Return the limit in a direction of the compass, between those of its four quarters."""
    turn = (degrees / 90.0) % 4.0
    first = int(turn) % 4
    return limits[first] + (limits[(first + 1) % 4] - limits[first]) * (turn - int(turn))


def limits_of(angle: float, measured: Limits) -> Limits:
    """Return the limits toward +x, +y, −x, −y, degrees from the vertical: an angle above 0 replaces those measured."""
    return (angle, angle, angle, angle) if angle > 0.0 else measured
