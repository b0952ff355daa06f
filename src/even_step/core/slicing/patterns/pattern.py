"""Which patterns there are, and the one way to lay them."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.hatch import Hatch, Strokes, hatch
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.laid import Strands, no_strands
from even_step.core.slicing.patterns import curves, families
from even_step.core.slicing.patterns.end_runs import with_end_runs
from even_step.core.slicing.patterns.fitting import Span
from even_step.core.slicing.patterns.rings import concentric
from even_step.core.work import Crew, runs_of

SOLID_FROM = 0.9  # from here on crossing lines would find no room: every infill pattern becomes lines
JOIN_WITHIN = 3.0  # spacings: ends of neighbouring full lines no further apart are joined
SHORTEST, SHORTEST_FULL = 0.5, 0.3  # mm, a shorter line holds nothing


@dataclass(frozen=True, eq=False)
class Rooms:
    """What is to be filled.

    Attributes
    ----------
    shape : (n,) regions
        mm, in the solid's frame.
    filled : (n,) float64
        Plastic width of a line, mm.
    z : (n,) float64
        Height of the layer's middle, mm.
    turn : (n,) int64
        Number of the layer: patterns turn from layer to layer.
    """

    shape: Regions
    filled: NDArray[np.float64]
    z: NDArray[np.float64]
    turn: Index


@dataclass(frozen=True)
class PatternLayout:
    """How a pattern lies.

    Share of plastic (0 to 1), angle in degrees, where it begins in the solid's frame, how far lines reach past the
    region and run along it, mm; by how many spacings parallel lines are shifted aside;
    whether they are to be laid row by row; the share of which this is a part, where a pattern is laid in several;
    what it is fitted to, if it is, and then it begins there.
    """

    pattern: str
    share: float
    angle: float
    origin: tuple[float, float]
    reach: float = 0.0
    end_run: float = 0.0
    shift: float = 0.0
    in_rows: bool = False
    whole: float = 0.0
    fitted: Span | None = None

    @property
    def is_full(self) -> bool:
        """Whether lines lie side by side."""
        return self.share >= SOLID_FROM


@dataclass(frozen=True, eq=False)
class Fill:
    """Lines of one role in the layers of a solid, equal ones once.

    Attributes
    ----------
    role : int
        Number of their role.
    width : float
        mm, as drawn.
    which : (L,) int64
        Which set of lines a layer has, −1 for none.
    lines : Strokes
        A cell a set.
    height : (S,) float64
        How high the lines of a set are, mm; 0 as high as their layer.
    in_rows : bool
        Whether they are to be laid row by row, each beside the last.
    along : Strands
        Lines of changing width, whose items are sets.
    """

    role: int
    width: float
    which: Index
    lines: Strokes
    height: NDArray[np.float64]
    in_rows: bool = False
    along: Strands = field(default_factory=no_strands)


@dataclass(frozen=True, eq=False)
class LayerRooms:
    """Rooms by layer.

    Attributes
    ----------
    which : (L,) int64
        Which room a layer has, −1 for none.
    rooms : (R,) regions
        The rooms, mm.
    height : (L,) float64
        How high the lines in each layer are, mm.
    z : (L,) float64
        Height of each layer's middle, mm.
    is_thick : bool
        Whether the lines are higher than their layer.
    turn : (L,) int64
        Which turn of the pattern each layer has; its own number where nothing else is said.
    """

    which: Index
    rooms: Regions
    height: NDArray[np.float64]
    z: NDArray[np.float64]
    is_thick: bool = False
    turn: Index = field(default_factory=lambda: np.empty(0, np.int64))


def fill_layers(some: LayerRooms, role: int, width: float, layout: PatternLayout, crew: Crew) -> Fill:
    """Lay a pattern in the room of each layer, where it comes out equal once."""
    full = np.zeros(len(some.which), bool)
    full[some.which >= 0] = ~region.is_empty(some.rooms[some.which[some.which >= 0]])
    layers = np.flatnonzero(full)
    which = np.full(len(some.which), -1, np.int64)
    if len(layers) == 0:
        return Fill(role, width, which, nothing(0), np.zeros(0))
    number = some.turn if len(some.turn) else np.arange(len(some.which))
    turn = {"nothing": 0 * number, "parity": number % 2, "height": number}[differs_by(layout)][layers]
    high = np.round(some.height[layers] * 1e6).astype(np.int64)
    sets, first, place = np.unique(
        np.stack((some.which[layers], turn, high), axis=1), axis=0, return_index=True, return_inverse=True
    )
    chosen = layers[first]
    rooms = Rooms(some.rooms[sets[:, 0]], plastic_width(width, some.height[chosen]), some.z[chosen], number[chosen])
    which[layers] = place.ravel()
    height = some.height[chosen] if some.is_thick else np.zeros(len(chosen))
    return Fill(role, width, which, fill(rooms, layout, crew), height, layout.in_rows)


def differs_by(layout: PatternLayout) -> str:
    """Say what makes the pattern of two equal rooms differ: ``nothing``, the layer's ``parity`` or its ``height``."""
    if layout.pattern in ("gyroid", "cubic"):
        return "height"
    return "parity" if layout.pattern == "lines" else "nothing"


def fill(rooms: Rooms, layout: PatternLayout, crew: Crew) -> Strokes:
    """Lay a pattern in each room; cell ``i`` of the strokes is room ``i``.

    Notes
    -----
    Density is plastic over room: each pattern's spacing follows from the length of its lines per area.
    """
    if layout.share <= 0.0:
        return nothing(len(rooms.shape))
    shapes, runs = rooms.shape, layout.end_run > 0.0 and not layout.is_full and layout.pattern != "concentric"
    if runs:  # an end run lies beside the wall, not on it
        shapes = np.concatenate(
            crew.each(
                lambda a, b: region.offset(rooms.shape[a:b], layout.reach - rooms.filled[a:b] / 2),
                runs_of(region.size_in_points(shapes), most=20_000),
            )
        )
    inside = Rooms(shapes, rooms.filled, rooms.z, rooms.turn)
    if layout.pattern in families.FAMILIES:
        laid = _families(inside, layout, 0.0 if runs else layout.reach, crew)
    elif layout.pattern == "concentric":
        laid = concentric(shapes, rooms.filled / layout.share, crew)
    else:
        laid = curves.curves(shapes, rooms.filled, rooms.z, layout, crew)
    return with_end_runs(laid, shapes, layout.end_run, crew) if runs else laid


def nothing(count: int) -> Strokes:
    """Return no lines in some cells."""
    return Strokes(np.empty((0, 2)), np.zeros(1, np.int64), np.empty(0, np.bool_), np.zeros(count + 1, np.int64))


def _families(rooms: Rooms, layout: PatternLayout, reach: float, crew: Crew) -> Strokes:
    """Lay one or more families of parallel lines."""
    angle, phase = families.FAMILIES[layout.pattern](layout.angle, rooms.turn, rooms.z)
    cells = angle.shape[1]
    # Of a pattern that is laid in several, each part has its rows where the undivided one has some of its own.
    times = (layout.whole or layout.share) / layout.share
    undivided = np.repeat(rooms.filled * cells / (layout.share * times), cells).reshape(-1, cells)
    origin = layout.origin
    if layout.fitted:
        undivided, origin = families.fitted(undivided, angle - layout.angle, layout.angle, layout.fitted)
    spacing = (undivided * times).ravel()
    shift = spacing.reshape(-1, cells) * layout.shift
    if layout.pattern == "kagome":
        shift = shift + undivided * families.KAGOME_SHIFT
    how = Hatch(
        angle.ravel(),
        spacing,
        origin,
        np.full(len(spacing), reach),
        spacing * (JOIN_WITHIN if layout.is_full and cells == 1 else 0.0),
        phase=(phase + shift).ravel(),
        shortest=SHORTEST_FULL if layout.is_full else SHORTEST,
    )
    laid = hatch(region.rings(np.repeat(rooms.shape, cells)), how, crew)
    return Strokes(laid.xy, laid.start, laid.linked, laid.cell[::cells])
