"""Stage 4: lines that follow the outline, of constant width."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import walls as keys
from even_step.core.plane import region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.ragged import Index, Rings, joined_starts
from even_step.core.plane.region import Regions
from even_step.core.slicing.regions import Outlines
from even_step.core.work import Crew, runs_of

LOST_AREA = 0.02  # mm², less is the rounding of bevelled corners,
LOST_WIDTH = 5e-5  # and for each mm of outline that of short sides that vanish at round corners


@dataclass(frozen=True)
class WallSettings:
    """How many walls, and how wide, mm."""

    count: Annotated[int, keys.COUNT]
    outer_width: Annotated[float, keys.OUTER_WIDTH]
    line_width: Annotated[float, keys.LINE_WIDTH]


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
    level : (R,) int64
        0 for the outermost wall.
    inner : (W,) regions
        What is left inside the walls.
    narrow : (W,) bool
        Whether some of the outline was too narrow for the outermost line.
    """

    which: Index
    outline: Index
    height: NDArray[np.float64]
    rings: Rings
    level: Index
    inner: Regions
    narrow: NDArray[np.bool_]


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


def walls(outlines: Outlines, thick: NDArray[np.float64], settings: WallSettings, crew: Crew) -> Walls:
    """Lay walls inside each distinct outline.

    Parameters
    ----------
    outlines
        Regions of the part's layers.
    thick : (L,) float64
        Thickness of these layers, mm.
    """
    pairs = np.stack((outlines.which, np.round(thick * 1e6).astype(np.int64)), axis=1)
    unique, which = np.unique(pairs, axis=0, return_inverse=True)
    source, height = unique[:, 0], unique[:, 1] / 1e6
    shapes = outlines.outline[source]
    if settings.count == 0:
        empty = region.rings(region.nothing(0))
        return Walls(which.ravel(), source, height, empty, np.empty(0, np.int64), shapes, np.zeros(len(source), bool))
    depth = wall_depths(settings, height)
    spacing = plastic_width(settings.line_width, height)

    def lay(first: int, last: int) -> tuple[Rings, NDArray[np.int64], Regions, NDArray[np.bool_]]:
        return _lay(shapes[first:last], depth[first:last], spacing[first:last])

    runs = runs_of(region.size_in_points(shapes), most=8_000)
    done = crew.each(lay, runs)
    items = np.concatenate([one[0].item + run[0] for one, run in zip(done, runs, strict=True)])
    polygons = np.cumsum([0, *(int(one[0].polygon[-1]) + 1 if len(one[0].polygon) else 0 for one in done)])
    rings = Rings(
        np.concatenate([one[0].xy for one in done]),
        joined_starts([one[0].start for one in done]),
        items,
        np.concatenate([one[0].polygon + at for one, at in zip(done, polygons, strict=False)]),
    )
    return Walls(
        which.ravel(),
        source,
        height,
        rings,
        np.concatenate([one[1] for one in done]),
        np.concatenate([one[2] for one in done]),
        np.concatenate([one[3] for one in done]),
    )


def _lay(
    shapes: Regions, depth: NDArray[np.float64], spacing: NDArray[np.float64]
) -> tuple[Rings, NDArray[np.int64], Regions, NDArray[np.bool_]]:
    """Offset every wall from the outline; chaining offsets would gain nothing and add up errors."""
    count = depth.shape[1] - 1
    grid = region.offset(np.repeat(shapes, count + 1), -depth.ravel()).reshape(len(shapes), count + 1)
    lines, inner = grid[:, :count], grid[:, count]
    narrow = _lost(shapes, lines[:, 0], depth[:, 0])
    for level in range(1, count):
        within = grid[:, level + 1]
        step = depth[:, level + 1] - depth[:, level]
        close = np.flatnonzero(_lost(lines[:, level], within, step))
        if len(close):
            _part_runs(lines[:, level], close, spacing[close] / 2)
    rings = region.rings(lines.ravel())
    return (
        Rings(rings.xy, rings.start, rings.item // count, rings.polygon),
        rings.item % count,
        inner,
        narrow,
    )


def _part_runs(lines: Regions, close: NDArray[np.int64], half: NDArray[np.float64]) -> None:
    """Take out, in place, where two runs of a wall would come closer than a line and lie on each other."""
    shrunk = region.offset(lines[close], -half)
    doubled = _lost(lines[close], shrunk, half)
    lines[close[doubled]] = region.offset(shrunk[doubled], half[doubled])


def _lost(outer: Regions, inner: Regions, depth: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell whether something vanished because it was too narrow to be moved in.

    Moved in by ``d``, an area ``A`` with outline ``L`` becomes ``A − d·L + d²·S/2`` (Steiner's formula, ``S``
    the sum over its corners), as long as nothing vanishes; more than that is left where something did.
    """
    length = region.perimeter(outer)
    left = region.area(outer) - depth * length + depth * depth * region.corner_sum(outer) / 2
    return np.asarray(region.area(inner) - left > LOST_AREA + LOST_WIDTH * length)
