"""The section of a laid line: a stadium, as wide as it is drawn, as high as its layer."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Number = float | NDArray[np.float64]


def section_area(width: Number, height: Number) -> NDArray[np.float64]:
    """Return the section of a line, mm²: a rectangle with half discs for ends, ``h·(w − h) + π·h²/4``."""
    w, h = np.asarray(width, np.float64), np.asarray(height, np.float64)
    return np.asarray(h * (w - h) + math.pi * h * h / 4)


def line_section(
    bridge: NDArray[np.bool_], width: Number, height: Number, strand: Number, flow: Number
) -> NDArray[np.float64]:
    """Return the section of lines as they are laid, mm²: of bridges that of a free strand, which stays round.

    Parameters
    ----------
    bridge
        Which lines are bridges.
    width, height
        As drawn, mm.
    strand
        Section of a bridge's strand, mm².
    flow
        What all of it is multiplied by.
    """
    return np.asarray(np.where(bridge, strand, section_area(width, height)) * flow)


def strand_section(bore: float, flow: float) -> float:
    """Return the section of a bridge's strand, mm²: as round as the bore in mm, times its own flow in percent."""
    return math.pi * bore * bore / 4 * flow / 100.0


def plastic_width(width: Number, height: Number) -> NDArray[np.float64]:
    """Return how wide a line fills on average, mm: its section over its height, ``w − h·(1 − π/4)``.

    Lines laid this far apart fill a layer exactly.
    """
    return np.asarray(np.asarray(width, np.float64) - section_rounding(height))


def section_rounding(height: Number) -> NDArray[np.float64]:
    """Return by how much the round edges make a line's plastic width less than its width, mm."""
    return np.asarray(np.asarray(height, np.float64) * (1 - math.pi / 4))
