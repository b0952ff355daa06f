"""Stage 7, lines: what fills the body of supports."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges, support_lines, supports, trees
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.hatch import Hatch, Strokes, hatch
from even_step.core.plane.ragged import Index, Rings, joined_starts, starts_of
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import simplified_rings
from even_step.core.slicing.laid import chosen, levels_joined, no_strands
from even_step.core.slicing.ordering import Blocks, OrderSettings, no_blocks, order_lines
from even_step.core.slicing.patterns.end_runs import with_end_runs
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.patterns.rings import concentric
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.body import SupportBody
from even_step.core.slicing.walls import BEND, Walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.toolpath.roles import SUPPORT, SUPPORT_CONTACT
from even_step.core.work import Crew

SHORTEST = 0.5  # mm, a shorter line holds nothing
JOINED_WITHIN = 3.0  # line distances along the outline: a sheet's lines become one strip
FOOT_LINES = 1.5  # widths from line to line where hollow branches stand on the bed
TIP = 0.5  # of a piece's area, from which on it is a contact
OF_BRIDGES = 0.5  # of what the material bridges, between lines


@dataclass(frozen=True)
class SupportLineSettings:
    """How supports are filled: widths and distances in mm, densities in percent, angles in degrees."""

    LAYS: ClassVar[str] = "supports"

    kind: Annotated[str, supports.KIND]
    line_width: Annotated[float, support_lines.LINE_WIDTH]
    line_distance: Annotated[float, support_lines.LINE_DISTANCE]
    density: Annotated[float, support_lines.DENSITY]
    longest: Annotated[float, bridges.LONGEST]
    growth: Annotated[float, supports.GROWTH]
    direction: Annotated[float, support_lines.DIRECTION]
    outlines: Annotated[int, support_lines.OUTLINE]
    branch_walls: Annotated[int, trees.WALLS]
    branch_filled: Annotated[bool, trees.FILLED]
    contact_density: Annotated[float, support_lines.CONTACT_DENSITY]
    contact_pattern: Annotated[str, support_lines.CONTACT_PATTERN]
    contact_turn: Annotated[float, support_lines.CONTACT_TURN]

    @property
    def outline(self) -> int:
        """How many lines go round."""
        return self.branch_walls if self.kind == "tree" else self.outlines

    @property
    def is_hollow(self) -> bool:
        """Whether nothing is laid inside."""
        return self.kind == "tree" and not self.branch_filled

    def distance(self, height: float) -> float:
        """Return how far apart lines are that are ``height`` mm high, mm."""
        filled = float(plastic_width(self.line_width, height))
        if self.density > 0.0:
            return filled * (2.0 if self.kind == "grid" else 1.0) / (self.density / 100.0)
        return max(self.line_distance or OF_BRIDGES * self.longest, filled)

    def contact_distance(self, height: float) -> float:
        """Return how far apart contact lines are, mm."""
        ways = 2.0 if self.contact_pattern == "grid" else 1.0
        return float(plastic_width(self.line_width, height)) * ways / (self.contact_density / 100.0)


@dataclass(frozen=True, eq=False)
class Supports:
    """The supports of a solid, course by course from the bed up, in its own frame.

    Attributes
    ----------
    blocks : Blocks
        Their lines.
    top, thick : (C,) float64
        Of each course, mm.
    number : (C,) int64
        The part's layer that holds its top.
    ground : (1,) regions
        What they cover of the bed, mm.
    """

    blocks: Blocks
    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    number: Index
    ground: Regions

    @property
    def are_none(self) -> bool:
        """Whether nothing is laid."""
        return len(self.top) == 0


def lay_supports(
    body: SupportBody, bottom: float, turn: float, settings: SupportLineSettings, ways: WaySettings, crew: Crew
) -> Supports:
    """Fill the body of supports with lines.

    Parameters
    ----------
    body
        What they fill.
    bottom
        What those that do not stand on the part stand on, mm.
    turn
        By how much lines turn with the part, degrees.
    settings, ways
        Lines, and how ways between them are led.
    """
    if len(body.top) == 0:
        return Supports(no_blocks(), body.top, body.thick, body.number, region.nothing(1))
    width, angle = settings.line_width, settings.direction + turn
    ground = region.offset(body.shape, width / 2)
    inside = region.offset(body.shape, -settings.outline * width) if settings.outline else body.shape
    usual = _usual(body.thick)
    wider = np.where(np.arange(len(inside)) == body.which[0], 2.0 * settings.growth, 0.0)
    fills = []
    if settings.is_hollow:  # what stands on the bed is filled there, to stick and for branches to begin on
        first = body.which == body.which[0]
        laid = _laid(inside, "lines", angle, FOOT_LINES * width, wider, crew)
        fills.append(Fill(SUPPORT, width, np.where(first, body.which, -1), laid, np.zeros(len(inside))))
    for step, shapes in enumerate(() if settings.is_hollow else body.rest):
        rooms = region.intersection(shapes, inside) if settings.outline else shapes
        apart = settings.distance(usual) * 2**step
        laid = _laid(rooms, settings.kind, angle, apart, wider, crew)
        fills.append(Fill(SUPPORT, width, body.which, laid, np.zeros(len(rooms))))
    rooms = region.intersection(body.contact, inside) if settings.outline else body.contact
    apart = settings.contact_distance(usual)
    touching = _laid(rooms, settings.contact_pattern, angle + settings.contact_turn, apart, wider, crew)
    fills.append(Fill(SUPPORT_CONTACT, width, body.which, touching, np.zeros(len(rooms))))
    tips, rest = _tips_of(body) if settings.outline else (region.nothing(len(rooms)), body.shape)
    for level in range(settings.outline):
        loops = _round(region.offset(tips, -level * width) if level else tips)
        fills.append(Fill(SUPPORT_CONTACT, width, body.which, loops, np.zeros(len(rooms))))
    around = _lines_round(body.which, rest, settings)
    order = OrderSettings("outer-first", "nearest")
    blocks = order_lines(Outlines(body.which, ground), around, tuple(fills), order, ways, crew)
    stands = ground[body.which[:1]] if body.top[0] - body.thick[0] <= bottom + 1e-6 else region.nothing(1)
    return Supports(_with_outlines(blocks), body.top, body.thick, body.number, stands)


def _tips_of(body: SupportBody) -> tuple[Regions, Regions]:
    """Return what of each shape is contact for the most, which is laid as such also where it is but its outline."""
    pieces, owner = region.pieces(body.shape)
    touching = region.area(region.intersection(pieces, body.contact[owner]))
    tip = touching > TIP * region.area(pieces)
    tips, rest = (region.gathered(pieces[some], owner[some], len(body.shape)) for some in (tip, ~tip))
    return tips, rest


def _lines_round(which: Index, shapes: Regions, settings: SupportLineSettings) -> Walls:
    """Return the lines that go round shapes, a set a shape: the outermost lies on the shape's border."""
    levels, width = [], settings.line_width
    for level in range(settings.outline):
        rings = region.rings(region.offset(shapes, -level * width) if level else shapes)
        xy, start = simplified_rings(rings.xy, rings.start, BEND)
        levels.append((Rings(xy, start, rings.item, rings.polygon), np.full(len(xy), width)))
    rings, wide, level_of = levels_joined(levels)
    count = len(shapes)
    sets, zeros, none = np.arange(count), np.zeros(count), region.nothing(count)
    return Walls(which, sets, zeros, rings, wide, level_of, no_strands(), none, none, none, zeros)


def _usual(thick: NDArray[np.float64]) -> float:
    """Return the thickness that most courses have, mm: lines must lie over lines in all of them."""
    values, counts = np.unique(thick, return_counts=True)
    return float(values[np.argmax(counts)])


def _with_outlines(blocks: Blocks) -> Blocks:
    """Give lines round columns the role of supports."""
    role = blocks.paths.role
    role[(role != SUPPORT_CONTACT)] = SUPPORT
    return blocks


def _laid(rooms: Regions, pattern: str, angle: float, apart: float, wider: NDArray[np.float64], crew: Crew) -> Strokes:
    """Lay lines in rooms; a cell of the strokes is a room.

    What no line may cross gets one round it, and so does what is ``wider`` than that by no more than it is on the bed.
    """
    if pattern == "concentric":
        return concentric(rooms, np.full(len(rooms), apart), crew)
    ways = (angle, angle + 90.0) if pattern == "grid" else (angle,)
    pieces, owner = region.pieces(rooms)
    slim = _slim(pieces, ways, apart + wider[owner])
    wide = region.gathered(pieces[~slim], owner[~slim], len(rooms))
    many = len(rooms) * len(ways)
    how = Hatch(
        np.tile(np.array(ways), len(rooms)),
        np.full(many, apart),
        (0.0, 0.0),
        np.zeros(many),
        np.zeros(many),
        np.zeros(many),
        SHORTEST,
    )
    laid = hatch(region.rings(np.repeat(wide, len(ways))), how, crew)
    laid = Strokes(laid.xy, laid.start, laid.linked, laid.cell[:: len(ways)])
    if len(ways) == 1:
        laid = with_end_runs(laid, wide, JOINED_WITHIN * apart, crew)
    return _beside(laid, _round(region.gathered(pieces[slim], owner[slim], len(rooms))))


def _slim(pieces: Regions, ways: tuple[float, ...], apart: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which pieces are so slim that lines of some directions may all pass beside them."""
    if len(pieces) == 0:
        return np.empty(0, bool)
    rings = region.rings(pieces)
    begin = rings.start[:-1][np.diff(rings.item, prepend=-1) != 0]
    slim = np.zeros(len(pieces), bool)
    for angle in ways:
        across = rings.xy[:, 1] * np.cos(np.radians(angle)) - rings.xy[:, 0] * np.sin(np.radians(angle))
        wide = np.maximum.reduceat(across, begin) - np.minimum.reduceat(across, begin)
        slim |= wide < apart
    return slim


def _round(rooms: Regions) -> Strokes:
    """Return the outlines of rooms as closed lines."""
    rings = region.rings(rooms)
    loops = rings.loops()
    xy = np.concatenate(loops) if loops else np.empty((0, 2))
    start = starts_of(np.array([len(loop) for loop in loops], np.int64))
    return Strokes(xy, start, np.zeros(len(loops), np.bool_), rings.starts_by_item(len(rooms)))


def _beside(a: Strokes, b: Strokes) -> Strokes:
    """Return the lines of both, cell by cell."""
    owner = np.concatenate([np.repeat(np.arange(len(one.cell) - 1), np.diff(one.cell)) for one in (a, b)])
    order = np.argsort(owner, kind="stable")
    fresh, place = chosen(joined_starts([a.start, b.start]), order)
    xy = np.concatenate((a.xy, b.xy))[place]
    linked = np.concatenate((a.linked, b.linked))[order]
    return Strokes(xy, fresh, linked, starts_of(np.bincount(owner, minlength=len(a.cell) - 1)))
