"""A brim: a flat rim of lines round a part's first layer, or in its holes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import foot as keys
from even_step.core.plane import cut, region
from even_step.core.plane.bead import plastic_width
from even_step.core.plane.ragged import Points
from even_step.core.plane.region import Regions

SHORTEST = 1.0  # mm, of a line that is left where others are cut away
DETAIL = 0.02  # mm, by which a brim's lines may leave the true distance


@dataclass(frozen=True)
class BrimSettings:
    """Where a brim lies, how wide it is and how far off the part, mm; the largest contact that gets one, mm²."""

    kind: Annotated[str, keys.KIND]
    side: Annotated[str, keys.BRIM_SIDE]
    width: Annotated[float, keys.BRIM_WIDTH]
    gap: Annotated[float, keys.BRIM_GAP]
    up_to: Annotated[float, keys.BRIM_UP_TO]
    line_width: Annotated[float, keys.LINE_WIDTH]


def brim_loops(outline: Regions, height: float, settings: BrimSettings) -> list[list[Points]]:
    """Return the lines of a brim, place by place; in each the outermost first, for they hold best before the part.

    Parameters
    ----------
    outline : (1,) regions
        The part's first layer, mm.
    height
        Its thickness, mm.
    settings
        A whole number of lines is laid, as near to the width wanted as can be.

    Returns
    -------
    list of list of (n, 2) float64
        Lines; a closed one repeats its first point.
    """
    some, others = _chosen(outline, settings.up_to)
    step = float(plastic_width(settings.line_width, height))
    count = max(1, round(settings.width / step))
    centres = settings.gap + settings.line_width / 2 + step * np.arange(count)[::-1]
    loops = [loop for centre in centres for loop in _at_distance(some, float(centre), settings)]
    keep_off = settings.gap + settings.line_width / 2 - DETAIL
    if not region.is_empty(others)[0] and loops:
        loops = cut.lines_outside(loops, region.offset_round(others, keep_off)[0], SHORTEST)
    return _by_place(loops, some, float(centres[0]) + settings.line_width)


def _chosen(outline: Regions, up_to: float) -> tuple[Regions, Regions]:
    """Part the contacts into those that get a brim and the others, (1,) each."""
    if up_to <= 0.0:
        return outline, region.nothing(1)
    pieces, _ = region.pieces(outline)
    small = region.area(pieces) <= up_to
    return tuple(np.array([region.union_all(pieces[one])], object) for one in (small, ~small))  # type: ignore[return-value]


def _at_distance(outline: Regions, distance: float, settings: BrimSettings) -> list[Points]:
    """Return the closed lines that keep a distance from an outline, on the sides wanted."""
    filled = region.without_holes(outline)
    found = []
    if settings.side != "inner":
        found.append(region.without_holes(region.offset_round(filled, distance)))
    if settings.side != "outer":
        room = region.difference(filled, region.offset_round(outline, distance))
        half = settings.line_width / 2  # a line lies only where there is room for its width
        found.append(region.offset_round(region.offset_round(room, -half), half))
    return region.rings(region.simplified(np.concatenate(found), DETAIL / 2)).loops()


def _by_place(loops: list[Points], outline: Regions, reach: float) -> list[list[Points]]:
    """Group lines by the pieces of ground the whole brim covers."""
    pieces, _ = region.pieces(region.offset_round(outline, reach))
    if len(pieces) < 2 or not loops:
        return [loops] if loops else []
    ends = np.array([loop[0] for loop in loops])
    out: list[list[Points]] = [[] for _ in pieces]
    for loop, place in zip(loops, cut.holder_of(ends, pieces), strict=True):
        out[place].append(loop)
    return [group for group in out if group]
