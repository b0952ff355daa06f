"""Stage 6: lay a pattern of some density in the room the covers left."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, ClassVar, NamedTuple

import numpy as np

from even_step.core.catalogue import bridges
from even_step.core.catalogue import infill as keys
from even_step.core.catalogue import walls as wall_keys
from even_step.core.catalogue.setting import numbers_of
from even_step.core.plane.bead import plastic_width
from even_step.core.slicing.covers import Covers
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.infill.grading import graded
from even_step.core.slicing.infill.thick import in_storeys
from even_step.core.slicing.patterns.branching import branching
from even_step.core.slicing.patterns.fitting import span_of
from even_step.core.slicing.patterns.pattern import Fill, LayerRooms, PatternLayout, fill_layers, nothing
from even_step.core.slicing.storeys import STACKED
from even_step.core.slicing.walls import Walls
from even_step.core.toolpath.roles import INFILL
from even_step.core.work import Crew

BRIDGE_SHARE = 0.8  # of the bridging length: what branching infill dares to leave open


class Lie(NamedTuple):
    """Where patterns begin in the solid's frame, mm, and their angle from its x axis, degrees."""

    origin: tuple[float, float]
    angle: float


class Stand(NamedTuple):
    """Where a copy stands on the bed, mm, none where no pattern asks for it; and by how much it is turned, degrees."""

    at: tuple[float, float] | None
    turn: float


@dataclass(frozen=True)
class InfillSettings:
    """Percent, degrees and mm; the overlap in percent of a line.

    ``bore`` is the nozzle's, mm; ``overhang`` the least of the machine's limits, degrees from the vertical.
    """

    LAYS: ClassVar[str] = "infill"

    density: Annotated[float, keys.DENSITY]
    pattern: Annotated[str, keys.PATTERN]
    angle: Annotated[float | str, keys.ANGLE]
    frame: Annotated[str, keys.FRAME]
    line_width: Annotated[float, keys.LINE_WIDTH]
    overlap: Annotated[float, keys.OVERLAP]
    end_run: Annotated[float, keys.END_RUN]
    layers_at_once: Annotated[int, keys.LAYERS_AT_ONCE]
    grading: Annotated[str, keys.GRADING]
    grading_depth: Annotated[float, keys.GRADING_DEPTH]
    longest_bridge: Annotated[float, bridges.LONGEST]
    walls: Annotated[int, wall_keys.COUNT]
    outer_width: Annotated[float, wall_keys.OUTER_WIDTH]
    bore: float
    overhang: float

    @property
    def angles(self) -> tuple[float, ...]:
        """The directions that are taken layer by layer, degrees."""
        return numbers_of(self.angle)

    def lie(self, stands: Stand, angle: float) -> Lie:
        """Return how patterns of a direction lie in a copy."""
        if self.frame == "bed" and stands.at:
            return Lie((-stands.at[0], -stands.at[1]), angle)
        return Lie((0.0, 0.0), angle + stands.turn)

    def layout(self, lie: Lie) -> PatternLayout:
        """Return how the pattern is laid."""
        share = self.density / 100.0
        plain = PatternLayout(self.pattern, share, lie.angle, lie.origin, end_run=self.end_run)
        if plain.is_full:
            return replace(plain, pattern="lines")
        return replace(plain, reach=self.reach)

    @property
    def as_laid(self) -> InfillSettings:
        """The same, but for what of the walls makes no difference to infill."""
        return replace(self, walls=min(self.walls, 1), outer_width=0.0 if self.walls else self.outer_width)

    @property
    def reach(self) -> float:
        """How far lines reach past their room, mm: into the walls, or without any up to the contour."""
        return self.overlap / 100.0 * self.line_width if self.walls else (self.outer_width - self.line_width) / 2

    @property
    def is_graded(self) -> bool:
        """Whether half of the lines lie only near the surface."""
        return self.grading != "none" and "grading" not in keys.ignored_by(self.pattern)


def infill(
    walls: Walls,
    covers: Covers,
    heights: Heights,
    stands: Stand,
    settings: InfillSettings,
    crew: Crew,
) -> tuple[Fill, ...]:
    """Lay the infill of one placed solid.

    Parameters
    ----------
    walls, covers
        Of the solid.
    heights
        Of its layers.
    stands
        How the copy stands.
    settings
        Pattern and density.

    Notes
    -----
    Plastic over room is the density, before the end runs and without what reaches into the walls.
    """
    count = len(covers.which)
    thick = walls.height[covers.walls[covers.which]]
    return filled(LayerRooms(covers.which, covers.room, thick, heights.cuts[:count]), stands, settings, crew)


def filled(rooms: LayerRooms, stands: Stand, settings: InfillSettings, crew: Crew) -> tuple[Fill, ...]:
    """Lay a pattern in the rooms of layers."""
    angles = settings.angles
    if settings.pattern == "branching":  # from layer to layer it is one thing
        angles = angles[:1]
    if len(angles) == 1:
        return _filled(rooms, stands, settings, angles[0], crew)
    number = np.arange(len(rooms.which)) // max(1, settings.layers_at_once)
    some = [
        replace(rooms, which=np.where(number % len(angles) == k, rooms.which, -1), turn=np.zeros_like(rooms.which))
        for k in range(len(angles))
    ]
    return tuple(
        fill for one, angle in zip(some, angles, strict=True) for fill in _filled(one, stands, settings, angle, crew)
    )


def _filled(rooms: LayerRooms, stands: Stand, settings: InfillSettings, angle: float, crew: Crew) -> tuple[Fill, ...]:
    """Lay a pattern of one direction."""
    layout, width, thick = settings.layout(settings.lie(stands, angle)), settings.line_width, rooms.height
    if settings.frame == "fitted" and not layout.is_full:
        layout = replace(layout, fitted=span_of(rooms.rooms, layout.angle))
    if layout.pattern == "branching":
        return (_branching(rooms, layout, settings),)
    fills = []
    for storey in in_storeys(rooms, settings.layers_at_once, min(STACKED * settings.bore, width), crew):
        if not settings.is_graded or layout.is_full:
            fills.append(fill_layers(storey, INFILL, width, layout, crew))
            continue
        for rooms_of, lies in graded(storey, settings.grading, settings.grading_depth, thick, layout, crew):
            fills.append(fill_layers(rooms_of, INFILL, width, lies, crew))
    return tuple(fills)


def _branching(rooms: LayerRooms, layout: PatternLayout, settings: InfillSettings) -> Fill:
    """Lay branching infill; its density is that of the lines right under a top."""
    count = len(rooms.which)
    if layout.share <= 0.0 or count == 0:
        return Fill(INFILL, settings.line_width, np.full(count, -1, np.int64), nothing(0), np.zeros(0))
    filled = float(plastic_width(settings.line_width, rooms.height).mean())
    longest = BRIDGE_SHARE * settings.longest_bridge
    lines = branching(
        rooms.rooms,
        rooms.which,
        rooms.height * np.tan(np.radians(settings.overhang)),
        min(2 * filled / layout.share, longest),
        longest,
        (layout.angle, layout.angle + 90.0),
        layout.fitted.middle if layout.fitted else layout.origin,
    )
    return Fill(INFILL, settings.line_width, np.arange(count), lines, np.zeros(count))
