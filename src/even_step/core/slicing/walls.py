"""Stage 4: lines that follow the outline; of constant width where there is room for all of them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import walls as keys
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width, section_rounding
from even_step.core.plane.ragged import Index, Rings
from even_step.core.plane.region import Regions
from even_step.core.plane.trace import simplified_rings
from even_step.core.slicing.laid import LaidWalls, Strands, behind, gathered, no_strands
from even_step.core.slicing.narrow import Levels, narrow_walls
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.singles import Bounds
from even_step.core.slicing.slopes import on_slopes
from even_step.core.slicing.storeys import STACKED, storeys
from even_step.core.slicing.whole_lines import whole_lines
from even_step.core.work import Crew, runs_of

# A layer's inner walls: its own, laid with one further up, laid for several, or more of them than elsewhere.
OWN, WAITS, AT_ONCE, MORE = 0, 1, 2, 3
BEND = 0.003  # mm, how far a point that is left out may lie off: moving outlines in leaves many that hardly bend


@dataclass(frozen=True)
class WallSettings:
    """How many walls, and how wide, mm; ``bore`` is the nozzle's."""

    count: Annotated[int, keys.COUNT]
    outer_width: Annotated[float, keys.OUTER_WIDTH]
    line_width: Annotated[float, keys.LINE_WIDTH]
    thicken: Annotated[bool, keys.LONE_LINE]
    vary: Annotated[bool, keys.VARY_WIDTH]
    layers_at_once: Annotated[int, keys.LAYERS_AT_ONCE]
    more_on_slopes: Annotated[int, keys.MORE_ON_SLOPES]
    bore: float

    @property
    def stack(self) -> float:
        """How deep all walls reach at the most, mm."""
        count = self.count + self.more_on_slopes
        return self.outer_width + (count - 1) * self.line_width if count else 0.0

    def bounds(self, height: float) -> Bounds:
        """Return between which widths lines may vary in a layer of some height."""
        return Bounds.of(self.bore, height, self.outer_width, self.line_width)


@dataclass(frozen=True, eq=False)
class Walls:
    """Walls of each distinct outline and layer thickness.

    Attributes
    ----------
    which : (L,) int64
        Which set of walls a layer has.
    outline : (W,) int64
        The outline each set was made from.
    height : (W,) float64
        Its layer thickness, mm.
    rings : Rings
        Centre lines, set by set, outermost level first.
    width : (N,) float64
        Drawn width from each point of the rings to the next, mm.
    level : (R,) int64
        0 for the outermost wall.
    strands : Strands
        Single lines in narrow places, and what fills gaps within the walls.
    inner : (W,) regions
        What is left inside the walls.
    lost : (W,) regions
        What is too thin for any line.
    left : (W,) regions
        What is left to inner walls that are laid with a layer further up, or is the rim of what has no walls.
    at_once : (W,) float64
        How high the closed inner walls are laid, mm; 0 as high as the layer.
    stretches : Strands
        What borders of zones leave of closed lines.
    """

    which: Index
    outline: Index
    height: NDArray[np.float64]
    rings: Rings
    width: NDArray[np.float64]
    level: Index
    strands: Strands
    inner: Regions
    lost: Regions
    left: Regions
    at_once: NDArray[np.float64]
    stretches: Strands = field(default_factory=no_strands)


def wall_depths(settings: WallSettings, height: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how deep inside the outline each wall's centre lies, then the room within, (W, count + 1), mm.

    The outermost line's edge is on the outline; the others lie a plastic width apart.
    """
    outer, inner = plastic_width(settings.outer_width, height), plastic_width(settings.line_width, height)
    depth = np.empty((len(height), settings.count + 1))
    depth[:, 0] = settings.outer_width / 2
    for level in range(1, settings.count + 1):
        before = outer if level == 1 else inner
        step = before / 2 if level == settings.count else (before + inner) / 2
        depth[:, level] = depth[:, level - 1] + step
    return depth


def walls(
    outlines: Outlines,
    thick: NDArray[np.float64],
    settings: WallSettings,
    crew: Crew,
    asked: NDArray[np.bool_] | None = None,
) -> Walls:
    """Lay walls inside each distinct outline.

    Parameters
    ----------
    outlines
        Regions of the part's layers.
    thick : (L,) float64
        Thickness of these layers, mm.
    asked : (L,) bool
        For which layers walls are asked; the others have none and no inside. All of them where it is not given.
    """
    turn, at_once = _turns(outlines.which, thick, settings)
    if settings.count and settings.more_on_slopes:
        stack = settings.outer_width + (settings.count - 1 + settings.more_on_slopes) * settings.line_width
        turn[(turn == OWN) & on_slopes(outlines, settings.line_width, stack, crew)] = MORE
    sets = np.stack((outlines.which, np.round(thick * 1e6).astype(np.int64), turn), axis=1)
    unique, which = np.unique(sets, axis=0, return_inverse=True)
    source, height, turn = unique[:, 0], unique[:, 1] / 1e6, unique[:, 2]
    high = np.where(turn == AT_ONCE, at_once * height, 0.0)
    shapes = outlines.outline[source]
    if asked is not None:
        idle = ~np.isin(np.arange(len(source)), which.ravel()[asked])
        shapes[idle] = region.nothing(int(idle.sum()))
    if settings.count == 0:
        empty, none = region.rings(region.nothing(0)), np.empty(0, np.int64)
        nothing = region.nothing(len(source))
        inner = region.offset(shapes, -settings.outer_width / 2)  # what is laid there is not to stand out
        rim = region.difference(shapes, inner)
        return Walls(which.ravel(), source, height, empty, np.empty(0), none, no_strands(), inner, nothing, rim, high)
    runs = runs_of(region.size_in_points(shapes), most=8_000)

    def lay(first: int, last: int) -> LaidWalls:
        return _lay_in_turn(shapes[first:last], height[first:last], turn[first:last], at_once, settings)

    laid = gathered(crew.each(lay, runs), [np.arange(first, last) for first, last in runs])
    return Walls(
        which.ravel(),
        source,
        height,
        laid.rings,
        laid.width,
        laid.level,
        laid.strands,
        laid.inner,
        laid.lost,
        laid.left,
        high,
    )


def _turns(which: Index, thick: NDArray[np.float64], settings: WallSettings) -> tuple[Index, int]:
    """Say for each layer whether its inner walls are its own, wait for a layer further up, or are laid for several.

    Also returns how many layers are laid at once. They are the groups in which infill is laid at once, too.
    """
    turn = np.full(len(which), OWN, np.int64)
    layers = storeys(thick, settings.layers_at_once if settings.count > 1 else 1, STACKED * settings.bore)
    if len(layers) == 0:
        return turn, 1
    same = (which[layers] == which[layers[:, :1]]).all(axis=1) & (np.ptp(thick[layers], axis=1) < 1e-9)
    turn[layers[same]] = WAITS
    turn[layers[same, -1]] = AT_ONCE
    return turn, layers.shape[1]


def _lay_in_turn(
    shapes: Regions, height: NDArray[np.float64], turn: Index, at_once: int, settings: WallSettings
) -> LaidWalls:
    """Lay all walls of some shapes; of others the outermost now and the inner ones for several layers at once."""
    parts, places = [], []
    for kind, count in ((OWN, settings.count), (MORE, settings.count + settings.more_on_slopes)):
        own = np.flatnonzero(turn == kind)
        if len(own):
            parts.append(_lay(shapes[own], height[own], replace(settings, count=count)))
            places.append(own)
    other = np.flatnonzero((turn == WAITS) | (turn == AT_ONCE))
    for one in np.unique(height[other]):
        some = other[height[other] == one]
        parts.append(_lay_at_once(shapes[some], float(one), turn[some] == AT_ONCE, at_once, settings))
        places.append(some)
    return gathered(parts, places)


def _lay_at_once(
    shapes: Regions, height: float, now: NDArray[np.bool_], at_once: int, settings: WallSettings
) -> LaidWalls:
    """Lay the outermost wall, and where it is time the others for several layers, as wide as keeps their plastic."""
    high = at_once * height
    outer = _lay(shapes, np.full(len(shapes), height), replace(settings, count=1))
    rounding = float(section_rounding(high))
    wider = settings.line_width + rounding - float(section_rounding(height))
    others = replace(settings, count=settings.count - 1, outer_width=wider, line_width=wider, thicken=False)
    inner = _lay(region.offset(outer.inner, rounding / 2), np.full(len(shapes), high), others)
    return behind(outer, inner, np.where(now, high, 0.0))


def _lay(shapes: Regions, height: NDArray[np.float64], settings: WallSettings) -> LaidWalls:
    """Lay lines of changing width in shapes that are narrow somewhere, constant lines in the others."""
    if not settings.vary:
        depth, filled = wall_depths(settings, height), plastic_width(settings.outer_width, height)
        return whole_lines(shapes, depth, settings.outer_width, settings.line_width, filled)
    widths = np.array([settings.outer_width] + [settings.line_width] * (settings.count - 1))
    micrometres = np.round(height * 1e6)
    parts, places = [], []
    plain = np.ones(len(shapes), np.bool_)
    for one in np.unique(micrometres):
        some = np.flatnonzero(micrometres == one)
        bounds = settings.bounds(float(height[some[0]]))
        levels = Levels(plastic_width(widths, height[some[0]]), bounds.rounding / 2, bounds)
        narrow, laid = narrow_walls(shapes[some], levels, thicken=settings.thicken)
        parts.append(laid)
        places.append(some[narrow])
        plain[some[narrow]] = False
    rest = np.flatnonzero(plain)
    parts.append(_constant(shapes[rest], height[rest], settings))
    places.append(rest)
    return gathered(parts, places)


def _constant(shapes: Regions, height: NDArray[np.float64], settings: WallSettings) -> LaidWalls:
    """Offset every wall from the outline; chaining offsets would gain nothing and add up errors."""
    depth, count = wall_depths(settings, height), settings.count
    grid = np.column_stack([region.offset(shapes, -depth[:, step]) for step in range(count + 1)])
    rings = region.rings(grid[:, :count].ravel())
    xy, start = simplified_rings(rings.xy, rings.start, BEND)
    level = rings.item % count
    width = np.where(level == 0, settings.outer_width, settings.line_width)
    return LaidWalls(
        Rings(xy, start, rings.item // count, rings.polygon),
        np.repeat(width, np.diff(start)),
        level,
        no_strands(),
        grid[:, count],
        region.nothing(len(shapes)),
        region.nothing(len(shapes)),
    )
