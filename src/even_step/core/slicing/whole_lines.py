"""Stage 4 with lines of one width only: where two of them do not fit there is one, or none."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import region
from even_step.core.plane.ragged import Rings
from even_step.core.plane.region import Regions
from even_step.core.slicing.laid import LaidWalls, strands_joined
from even_step.core.slicing.singles import Bounds, singles

SLACK = 0.003  # mm, by which a shape grown back is larger, so that equal outlines do not leave shreds
LEAST_AREA = 0.02  # mm², less of a narrow place is a corner's tip


def whole_lines(
    shapes: Regions, depth: NDArray[np.float64], outer: float, inner: float, filled: NDArray[np.float64]
) -> LaidWalls:
    """Lay lines of constant width; gaps between them stay.

    Parameters
    ----------
    shapes : (n,) regions
        mm.
    depth : (n, count + 1) float64
        How deep inside each line's centre lies, then the room within, mm.
    outer, inner
        Widths of the outermost line and of the others, mm.
    filled : (n,) float64
        Plastic width of the outermost line, mm.
    """
    count = depth.shape[1] - 1
    grid = np.column_stack([_kept_apart(shapes, depth[:, level], filled / 2) for level in range(count)])
    rings = region.rings(grid.ravel())
    level = rings.item % count
    single = []
    lost = region.nothing(len(shapes))
    for one in np.unique(filled):
        some = np.flatnonzero(filled == one)
        bounds = Bounds(outer, 2 * outer, 2 * outer, outer - float(one))
        thin = narrow_places(shapes[some], region.offset(shapes[some], -float(one)), 2 * float(one))
        laid = singles(thin, region.rings(shapes[some]), bounds, 2 * float(one), 0, thicken=False)
        single.append(replace(laid, item=some[laid.item], width=np.full(len(laid.width), outer)))
        lost[some] = unfit(shapes[some], thin, bounds)
    return LaidWalls(
        Rings(rings.xy, rings.start, rings.item // count, rings.polygon),
        np.repeat(np.where(level == 0, outer, inner), np.diff(rings.start)),
        level,
        strands_joined(single),
        region.offset(shapes, -depth[:, count]),
        lost,
        region.nothing(len(shapes)),
    )


def _kept_apart(shapes: Regions, depth: NDArray[np.float64], half: NDArray[np.float64]) -> Regions:
    """Move outlines in to a line's centre, only where the line on the other side keeps its distance."""
    kept = region.offset(region.offset(shapes, -(depth + half)), half)
    # Grown back, the corner of a blunt end may reach farther than it was.
    return region.intersection(kept, region.offset(shapes, -depth))


def narrow_places(rest: Regions, core: Regions, thickness: float) -> Regions:
    """Return what of the rest is narrower than a thickness; the core is the rest moved in by half of it."""
    thin = region.beyond(rest, core, thickness / 2 + SLACK)
    parts, owner = region.pieces(thin)
    kept = region.area(parts) >= LEAST_AREA
    return region.gathered(parts[kept], owner[kept], len(rest))


def unfit(rest: Regions, thin: Regions, bounds: Bounds) -> Regions:
    """Return what of thin places even the narrowest line does not fit into."""
    half = (bounds.narrowest - bounds.rounding) / 2
    # Round, for a sharp corner is not thin: its tip lies within a line's rounding.
    reached = region.offset_round(region.offset(rest, -half), half * np.sqrt(2))
    parts, owner = region.pieces(region.difference(thin, reached))
    kept = region.area(parts) >= LEAST_AREA
    return region.gathered(parts[kept], owner[kept], len(rest))
