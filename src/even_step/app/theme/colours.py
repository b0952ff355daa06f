"""The theme *Paper*: ink on paper, one accent, and a colour for each state and role."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtGui import QColor

from even_step.core.toolpath.roles import ROLE_NUMBER, TABLE


@dataclass(frozen=True)
class Palette:
    """Colours by what they are for."""

    paper: str = "#F5F2EA"
    sheet: str = "#FBF9F4"
    rule: str = "#D9D2C3"
    ink: str = "#23303B"
    faint: str = "#6E7780"
    accent: str = "#6A3D6F"
    wash: str = "#EADFEA"
    caution: str = "#B9801F"
    stop: str = "#A3293B"
    good: str = "#4C7A4A"
    bone: str = "#E6DFCF"
    clay: str = "#B97F68"
    zone: str = "#2A7F7F"
    bed: str = "#F0EADD"


PAPER = Palette()


def mixed(one: str, other: str, share: float) -> QColor:
    """Return a colour between two: 0 is the first, 1 the second."""
    a, b = QColor(one), QColor(other)
    pairs = ((a.red(), b.red()), (a.green(), b.green()), (a.blue(), b.blue()))
    red, green, blue = (round(p + (q - p) * share) for p, q in pairs)
    return QColor(red, green, blue)


def role_colour(role: str) -> QColor:
    """Return the colour of a role."""
    return QColor(TABLE[ROLE_NUMBER[role]].colour)
