"""Lay a pattern of some density in the room the covers left."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import infill as keys
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.hatch import Hatch, Strokes, hatch
from even_step.core.plane.ragged import Index
from even_step.core.slicing.covers import JOIN_WITHIN, Covers
from even_step.core.slicing.walls import Walls
from even_step.core.work import Crew

SOLID_FROM = 90.0  # %, from here on every pattern becomes lines: crossing lines would find no room
SHORTEST = 0.5  # mm, a shorter line holds nothing


@dataclass(frozen=True)
class InfillSettings:
    """Percent, degrees and mm; the overlap in percent of a line."""

    density: Annotated[float, keys.DENSITY]
    pattern: Annotated[str, keys.PATTERN]
    angle: Annotated[float, keys.ANGLE]
    line_width: Annotated[float, keys.LINE_WIDTH]
    overlap: Annotated[float, keys.OVERLAP]


@dataclass(frozen=True, eq=False)
class Infill:
    """Infill lines of each layer, equal ones once.

    Attributes
    ----------
    which : (L,) int64
        Which set of lines a layer has.
    lines : Strokes
        ``cells`` cells a set.
    cells : int
        How many directions a set has.
    width : float
        Line width, mm.
    """

    which: Index
    lines: Strokes
    cells: int
    width: float


def directions(settings: InfillSettings) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Return the directions of even and of odd layers, degrees.

    ``lines`` lie across each other from layer to layer; a ``grid`` crosses in every layer.
    """
    angle = settings.angle
    if settings.pattern == "grid" and settings.density < SOLID_FROM:
        return (angle, angle + 90.0), (angle, angle + 90.0)
    return (angle,), (angle + 90.0,)


def infill(walls: Walls, covers: Covers, origin: tuple[float, float], settings: InfillSettings, crew: Crew) -> Infill:
    """Lay the infill of one placed solid.

    Parameters
    ----------
    walls, covers
        Of the solid.
    origin : (float, float)
        The bed's origin in the solid's frame, mm: patterns lie in bed coordinates.
    settings
        Pattern and density.

    Notes
    -----
    Plastic over room is the density by the spacing of the lines: ``n`` directions lie ``n·s/ρ`` apart,
    where ``s`` is the plastic width. What reaches into the walls comes on top.
    """
    even, odd = directions(settings)
    cells = len(even)
    empty = region.is_empty(covers.room)
    parity = (np.arange(len(covers.which)) % 2) * ~empty[covers.which] * (even != odd)
    pairs, which = np.unique(np.stack((covers.which, parity), axis=1), axis=0, return_inverse=True)
    rooms = np.repeat(covers.room[pairs[:, 0]], cells)
    height = walls.height[covers.walls[pairs[:, 0]]]
    fill = np.repeat(plastic_width(settings.line_width, height), cells)
    angle = np.where(pairs[:, 1][:, None] == 1, np.array(odd)[None, :], np.array(even)[None, :]).ravel()
    share = settings.density / 100.0
    spacing = fill * cells / share if share > 0 else np.zeros_like(fill)
    solid = settings.density >= SOLID_FROM
    reach = 0.0 if solid else settings.overlap / 100.0 * settings.line_width
    how = Hatch(
        angle,
        spacing,
        origin,
        np.full(len(fill), reach),
        fill * (JOIN_WITHIN if solid else 0.0),
        0.1 if solid else SHORTEST,
    )
    return Infill(which.ravel(), hatch(region.rings(rooms), how, crew), cells, settings.line_width)
