"""The colours of a channel: one for each role, material or part, or a scale from pale straw to deep ink."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor

from even_step.app.canvas.programs import lit
from even_step.app.theme.colours import PAPER
from even_step.app.trials import TrialLines
from even_step.core.channels import SCALES
from even_step.core.toolpath.roles import TABLE

STEPS = 256  # colours of a palette
#: Told apart by lightness too, for those who see few colours.
KINDS = ("#4E6880", "#D3BE82", "#8C5A78", "#7C8F6B", "#B97F68", "#2F8C8C", "#CDB9C4", "#23303B")
NOBODY = "#8D8B86"  # of what is no part's
PALE, MIDDLE, DEEP = "#F0E2B0", "#9A8A6A", "#1E2C3A"


@dataclass(frozen=True, eq=False)
class Shades:
    """How the lines of a trial are coloured.

    Attributes
    ----------
    colours : (256, 3) float32
        The palette.
    place : (P,) float32
        Where in it each path is, 0 to 1; none where the role says it.
    low, high
        The numbers at the ends of a scale.
    """

    colours: NDArray[np.float32]
    place: NDArray[np.float32] | None
    low: float = 0.0
    high: float = 0.0


def kind_colour(number: int) -> QColor:
    """Return the colour of a material, a part or a zone by its number, below 0 for none."""
    return QColor(KINDS[number % len(KINDS)] if number >= 0 else NOBODY)


def scale_colour(share: float) -> QColor:
    """Return the colour of a scale at a share of its way."""
    pale, middle, deep = (np.array(lit(one)) for one in (PALE, MIDDLE, DEEP))
    mixed = pale + (middle - pale) * 2 * share if share < 0.5 else middle + (deep - middle) * (2 * share - 1)
    return QColor.fromRgbF(*(float(number) for number in mixed))


def only_colours() -> tuple[QColor, QColor]:
    """Return the colours of what another trial has too, and of what only the trial shown has."""
    return QColor(PAPER.bone), QColor(PAPER.accent)


def shades_of_marks(marks: NDArray[np.float32]) -> Shades:
    """Return how lines are coloured of which some are marked, (P,): 1 for those, else 0."""
    return Shades(_palette(list(only_colours())), ((marks + 0.5) / STEPS).astype(np.float32))


def shades_of(lines: TrialLines, channel: str) -> Shades:
    """Return how lines are coloured by a channel."""
    if channel == "role":
        return Shades(_palette([QColor(role.colour) for role in TABLE]), None)
    values = lines.of_paths(channel)
    if channel not in SCALES:
        place = (np.where(values < 0, len(KINDS), values % len(KINDS)) + 0.5) / STEPS
        colours = [kind_colour(number) for number in range(len(KINDS))]
        return Shades(_palette([*colours, kind_colour(-1)]), place.astype(np.float32))
    low, high = (float(values.min()), float(values.max())) if len(values) else (0.0, 0.0)
    # The middle of a step: at its very end the palette begins anew.
    along = (0.5 + (STEPS - 1) * (values - low) / max(high - low, 1e-9)) / STEPS
    return Shades(_palette([scale_colour(k / (STEPS - 1)) for k in range(STEPS)]), along.astype(np.float32), low, high)


def _palette(colours: list[QColor]) -> NDArray[np.float32]:
    out = np.zeros((STEPS, 3), np.float32)
    out[: len(colours)] = [lit(colour.name()) for colour in colours]
    return out
