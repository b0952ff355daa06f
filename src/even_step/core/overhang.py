"""From which angle on something hangs: one rule for canvas, poses, figures and stages."""

from __future__ import annotations

from typing import TypeAlias

Limits: TypeAlias = tuple[float, float, float, float]


def limits_of(angle: float, measured: Limits) -> Limits:
    """Return the limits toward +x, +y, −x, −y, degrees from the vertical: an angle above 0 replaces those measured."""
    return (angle, angle, angle, angle) if angle > 0.0 else measured
