"""Stage 7, columns: from what hangs straight down to the bed or the part, in a volume of cells.

Exact outlines come later, where the columns are cut from the part: cells only say where a column is wanted.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from even_step.core.catalogue import supports
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.supports.growing import (
    closed,
    downward,
    flooded,
    grown,
    lifted,
    lowered,
    off,
    opened,
    standing,
)
from even_step.core.slicing.supports.seeds import ColumnShapes, Seeds
from even_step.core.slicing.supports.tracing import layers_alike, traced
from even_step.core.slicing.supports.volume import Frame, Words
from even_step.core.work import Crew

SPREAD = 1.5  # cells, by which columns reach into the part, for the exact cut to find their edge
SMOOTH = 0.5  # of a cell


@dataclass(frozen=True)
class ColumnSettings:
    """Which columns are wanted, mm."""

    stands: Annotated[str, supports.FROM]
    least_layers: Annotated[int, supports.LEAST_LAYERS]
    margin: Annotated[float, supports.MARGIN]
    margin_goes: Annotated[str, supports.MARGIN_GOES]
    merge_within: Annotated[float, supports.MERGE_WITHIN]
    slim_width: Annotated[float, supports.SLIM_WIDTH]
    gap_above: Annotated[float, supports.GAP_ABOVE]
    gap_beside: Annotated[float, supports.GAP_BESIDE]
    gap_wins: Annotated[str, supports.GAP_WINS]

    @property
    def pad(self) -> float:
        """How far columns may reach beyond the part, mm."""
        return self.margin + self.merge_within / 2 + self.slim_width + 1.0


def columns(seeds: Seeds, heights: Heights, settings: ColumnSettings, crew: Crew) -> ColumnShapes:
    """Lead columns down from what hangs.

    Parameters
    ----------
    seeds
        What is to be held.
    heights
        Of the part's layers.
    settings
        Which columns are wanted.
    """
    frame, part = seeds.frame, seeds.part
    body = _off_faces(seeds, _standing(seeds, heights, settings, crew), crew)
    near = grown(frame, body, SPREAD * frame.cell, crew)
    body |= near & part
    which, shape = _shapes(frame, body, crew)
    if settings.gap_wins == "beside":
        return ColumnShapes(frame, which, shape, np.full(frame.layers, -1, np.int64), region.nothing(0))
    deep = int(np.ceil((settings.gap_above + settings.gap_beside) / float(heights.thick.min())))
    below = seeds.slopes.copy()
    for _ in range(deep):
        below |= lowered(below)
    where, near_slopes = _shapes(frame, grown(frame, below & ~part, SPREAD * frame.cell, crew), crew)
    return ColumnShapes(frame, which, shape, where, near_slopes)


def _standing(wanted: Seeds, heights: Heights, settings: ColumnSettings, crew: Crew) -> Words:
    """Return the columns under what hangs: with margin, merged, none too slim, and those alone that may stand."""
    frame, free = wanted.frame, wanted.free
    on_bed, least = settings.stands == "bed", max(settings.least_layers, 1)
    seeds = wanted.under
    if on_bed or least > 1:
        # What only a column beside it could reach is not held.
        some = downward(frame, wanted.surely, free, crew)
        some = standing(frame, some, least, crew, on_bed=on_bed)
        seeds = seeds & flooded(frame, wanted.surely & some, free, 2 * frame.cell, crew)
    body = downward(frame, _with_margin(wanted, seeds, heights, settings, crew), free, crew)
    if settings.merge_within > 0.0:
        body = downward(frame, closed(frame, body, settings.merge_within / 2, crew) & free, free, crew)
    if settings.slim_width > 0.0:
        slim = body & ~opened(frame, body, settings.slim_width / 2, crew)
        body |= downward(frame, flooded(frame, slim, free, settings.slim_width / 2, crew), free, crew)
    return standing(frame, body, least, crew, on_bed=on_bed) if on_bed or least > 1 else body


def _off_faces(wanted: Seeds, body: Words, crew: Crew) -> Words:
    """Leave out the columns that stand where nothing may stand, or on more of show faces than they may touch."""
    frame = wanted.frame
    if wanted.bare is not None:
        body = off(frame, body, wanted.bare, crew)
    if wanted.seen is not None:
        fewer = off(frame, body, wanted.seen, crew)
        feet = body & ~fewer & ~lifted(body)
        if float(np.bitwise_count(feet).sum()) * frame.cell**2 > wanted.left:
            return fewer
    return body


def _with_margin(wanted: Seeds, seeds: Words, heights: Heights, settings: ColumnSettings, crew: Crew) -> Words:
    """Return what hangs with what supports reach past it, level or one up for one out."""
    frame, free = wanted.frame, wanted.free
    if settings.margin_goes == "level":
        return flooded(frame, seeds, free, settings.margin, crew)
    out, step = seeds & free, 2 * frame.cell
    for done in range(int(np.ceil(settings.margin / step))):
        out = flooded(frame, out, free, min(step, settings.margin - done * step), crew)
        for _ in range(round(step / float(np.median(heights.thick)))):
            out |= lifted(out) & free
    return out


def _shapes(frame: Frame, words: Words, crew: Crew) -> tuple[Index, Regions]:
    """Return which shape each layer has, −1 for none, and the shapes."""
    which = layers_alike(words, frame.layers)
    _, first = np.unique(which, return_index=True)
    return which, traced(frame, words, first[which[first] >= 0], SMOOTH * frame.cell, crew)
