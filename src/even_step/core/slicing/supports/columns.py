"""Stage 7, columns: from what hangs straight down to the bed or the part, in a volume of cells.

Exact outlines come later, where the columns are cut from the part: cells only say where a column is wanted.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import supports
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Geometry, Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.islands import Islands, Undersides
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.growing import (
    closed,
    downward,
    flooded,
    grown,
    lowered,
    opened,
    standing,
)
from even_step.core.slicing.supports.tracing import layers_alike, traced
from even_step.core.slicing.supports.volume import Frame, Words, filled, frame_of, layer_masks, touched
from even_step.core.work import Crew

SPREAD = 1.5  # cells, by which columns reach into the part, for the exact cut to find their edge
SMOOTH = 0.5  # of a cell
TOUCHED = 0.7  # cells, half a diagonal: whatever touches a cell fills it
HAIR = 0.02  # mm


@dataclass(frozen=True)
class ColumnSettings:
    """Which columns are wanted, mm; ``bore`` is the nozzle's, of which a cell is half."""

    kind: Annotated[str, supports.KIND]
    stands: Annotated[str, supports.FROM]
    least_length: Annotated[float, supports.LEAST_LENGTH]
    least_layers: Annotated[int, supports.LEAST_LAYERS]
    margin: Annotated[float, supports.MARGIN]
    merge_within: Annotated[float, supports.MERGE_WITHIN]
    slim_width: Annotated[float, supports.SLIM_WIDTH]
    gap_above: Annotated[float, supports.GAP_ABOVE]
    gap_beside: Annotated[float, supports.GAP_BESIDE]
    gap_wins: Annotated[str, supports.GAP_WINS]
    bore: float

    @property
    def cell(self) -> float:
        """Size of a cell, mm."""
        return self.bore / 2

    @property
    def pad(self) -> float:
        """How far columns may reach beyond the part, mm."""
        return self.margin + self.merge_within / 2 + self.slim_width + 2 * self.cell


@dataclass(frozen=True, eq=False)
class ColumnShapes:
    """Where columns are wanted, layer by layer; they reach a little into the part.

    Attributes
    ----------
    frame : Frame
        The cells they were found in.
    which : (L,) int64
        Which shape a layer has, −1 for none.
    shape : (n,) regions
        mm, in the solid's frame.
    under_slopes : (L,) int64
        Which of ``slopes`` a layer has, −1 for none.
    slopes : (m,) regions
        Where slopes hang right above, mm.
    """

    frame: Frame
    which: Index
    shape: Regions
    under_slopes: Index
    slopes: Regions

    @property
    def are_none(self) -> bool:
        """Whether no column is wanted."""
        return len(self.shape) == 0


def no_columns(layers: int) -> ColumnShapes:
    """Return none, for a part of some layers."""
    none = np.full(layers, -1, np.int64)
    return ColumnShapes(Frame((0.0, 0.0), 1.0, 0, 0, layers), none, region.nothing(0), none, region.nothing(0))


def columns(
    under: Undersides,
    outlines: Outlines,
    heights: Heights,
    spared: dict[int, Geometry],
    settings: ColumnSettings,
    crew: Crew,
) -> ColumnShapes:
    """Find the columns of a solid.

    Parameters
    ----------
    under
        Facets past the limit, and islands.
    outlines, heights
        Of its layers.
    spared : region by layer
        Undersides that are left alone.
    settings
        Which columns are wanted.
    """
    layers = len(heights.top)
    chosen = (under.facets.area > 0.0) & _long_enough(under, settings.least_length)
    some = _large_enough(under.islands, settings.least_length)
    if settings.kind == "none" or layers < 2 or not (chosen.any() or len(some.layer)):
        return no_columns(layers)
    box = np.concatenate(under.mesh.bounds[:, :2])
    frame = frame_of(box, layers, settings.cell, settings.pad)
    part = filled(frame, outlines.outline, layer_masks(outlines.which, len(outlines.outline), frame.words), crew)
    slopes = touched(frame, under.corners[chosen & ~under.facets.flat], heights.cuts)
    level, flat = _ceilings(under, chosen & under.facets.flat, outlines, heights)
    own = _own_masks(level, frame.words)
    surely = slopes | filled(frame, flat, own, crew)
    hanging = surely | filled(frame, region.offset(flat, TOUCHED * frame.cell), own, crew)
    if len(some.layer):
        hanging |= filled(frame, some.shape, _own_masks(some.layer, frame.words), crew)
    if spared:
        which = np.array(list(spared), np.int64)
        hanging &= ~filled(frame, np.array(list(spared.values()), object), _own_masks(which, frame.words), crew)
    body = _standing(frame, hanging, surely, ~part, settings, crew)
    near = grown(frame, body, SPREAD * frame.cell, crew)
    body |= near & part
    which, shape = _shapes(frame, body, crew)
    if settings.gap_wins == "beside":
        return ColumnShapes(frame, which, shape, np.full(layers, -1, np.int64), region.nothing(0))
    deep = int(np.ceil((settings.gap_above + settings.gap_beside) / float(heights.thick.min())))
    below = lowered(slopes)
    for _ in range(deep):
        below |= lowered(below)
    where, near_slopes = _shapes(frame, grown(frame, below & ~part, SPREAD * frame.cell, crew), crew)
    return ColumnShapes(frame, which, shape, where, near_slopes)


def _ceilings(
    under: Undersides, chosen: NDArray[np.bool_], outlines: Outlines, heights: Heights
) -> tuple[Index, Regions]:
    """Return the layers in which flat undersides begin, and what of them has no part beneath."""
    facets = np.flatnonzero(chosen)
    layer = np.searchsorted(heights.cuts, under.facets.low[facets], side="right")
    levels = np.unique(layer[(layer > 0) & (layer < len(heights.top))])
    corners, out = under.corners[facets, :, :2], region.nothing(len(levels))
    for i, level in enumerate(levels.tolist()):
        out[i] = region.union_all(region.of_triangles(corners[layer == level]))
    bare = region.difference(out, outlines.outline[outlines.which[levels - 1]])
    # What rounding leaves along walls is no underside.
    return levels, region.offset(region.offset(bare, -HAIR), HAIR)


def _standing(frame: Frame, hanging: Words, surely: Words, free: Words, settings: ColumnSettings, crew: Crew) -> Words:
    """Return the columns under what hangs: with margin, merged, none too slim, and those alone that may stand."""
    on_bed, least = settings.stands == "bed", max(settings.least_layers, 1)
    seeds = lowered(hanging) & free
    if on_bed or least > 1:
        # What only a column beside it could reach is not held.
        some = downward(frame, lowered(surely) & free, free, crew)
        some = standing(frame, some, least, crew, on_bed=on_bed)
        seeds &= flooded(frame, lowered(surely) & some, free, 2 * frame.cell, crew)
    body = downward(frame, flooded(frame, seeds, free, settings.margin, crew), free, crew)
    if settings.merge_within > 0.0:
        body = downward(frame, closed(frame, body, settings.merge_within / 2, crew) & free, free, crew)
    if settings.slim_width > 0.0:
        slim = body & ~opened(frame, body, settings.slim_width / 2, crew)
        body |= downward(frame, flooded(frame, slim, free, settings.slim_width / 2, crew), free, crew)
    return standing(frame, body, least, crew, on_bed=on_bed) if on_bed or least > 1 else body


def _shapes(frame: Frame, words: Words, crew: Crew) -> tuple[Index, Regions]:
    """Return which shape each layer has, −1 for none, and the shapes."""
    which = layers_alike(words, frame.layers)
    _, first = np.unique(which, return_index=True)
    return which, traced(frame, words, first[which[first] >= 0], SMOOTH * frame.cell, crew)


def _own_masks(layers: Index, words: int) -> Words:
    """Return masks of shapes that lie in one layer each, (n, words)."""
    out = np.zeros((len(layers), words), np.uint64)
    out[np.arange(len(layers)), layers // 64] = np.left_shift(np.uint64(1), (layers % 64).astype(np.uint64))
    return out


def _long_enough(under: Undersides, least: float) -> NDArray[np.bool_]:
    """Tell which facets are of a patch that is as long as ``least`` mm some way."""
    xyz, patch = under.corners, under.facets.patch
    if least <= 0.0 or len(xyz) == 0:
        return np.ones(len(xyz), bool)
    low, high = xyz.min(axis=1), xyz.max(axis=1)
    count = int(patch.max()) + 1
    least_of, most_of = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(least_of, patch, low)
    np.maximum.at(most_of, patch, high)
    return np.asarray((most_of - least_of).max(axis=1)[patch] >= least)


def _large_enough(alone: Islands, least: float) -> Islands:
    """Return the islands that are as long as ``least`` mm some way."""
    box = region.bounds(alone.shape)
    kept = (box[:, 2:] - box[:, :2]).max(axis=1) >= least if len(box) else np.empty(0, bool)
    return Islands(alone.shape[kept], alone.layer[kept])
