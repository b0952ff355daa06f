"""Stage 7, seeds: what hangs, marked in the cells of a volume over the part."""

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
from even_step.core.slicing.supports.growing import lowered
from even_step.core.slicing.supports.volume import Frame, Words, filled, frame_of, layer_masks, touched
from even_step.core.work import Crew

TOUCHED = 0.7  # cells, half a diagonal: whatever touches a cell fills it
HAIR = 0.02  # mm


@dataclass(frozen=True)
class SeedSettings:
    """What of that which hangs is to be held; ``bore`` is the nozzle's, mm, of which a cell is half."""

    kind: Annotated[str, supports.KIND]
    least_length: Annotated[float, supports.LEAST_LENGTH]
    bore: float

    @property
    def cell(self) -> float:
        """Size of a cell, mm."""
        return self.bore / 2


@dataclass(frozen=True, eq=False)
class Seeds:
    """What is to be held.

    Attributes
    ----------
    frame : Frame
        The cells.
    part : (W, rows, columns) uint64
        The cells of the part.
    under : (W, rows, columns) uint64
        The cells right under what hangs.
    surely : (W, rows, columns) uint64
        Those of them whose middles lie under it.
    slopes : (W, rows, columns) uint64
        Those right under slopes.
    """

    frame: Frame
    part: Words
    under: Words
    surely: Words
    slopes: Words


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


def seeds_of(
    under: Undersides,
    outlines: Outlines,
    heights: Heights,
    spared: dict[int, Geometry],
    pad: float,
    settings: SeedSettings,
    crew: Crew,
) -> Seeds | None:
    """Mark what hangs; none where nothing is to be held.

    Parameters
    ----------
    under
        Facets past the limit, and islands.
    outlines, heights
        Of the part's layers.
    spared : region by layer
        Undersides that are left alone.
    pad
        How far cells reach beyond the part, mm.
    settings
        What is to be held.
    """
    layers = len(heights.top)
    chosen = (under.facets.area > 0.0) & _long_enough(under, settings.least_length)
    some = _large_enough(under.islands, settings.least_length)
    if settings.kind == "none" or layers < 2 or not (chosen.any() or len(some.layer)):
        return None
    frame = frame_of(np.concatenate(under.mesh.bounds[:, :2]), layers, settings.cell, pad)
    part = filled(frame, outlines.outline, layer_masks(outlines.which, len(outlines.outline), frame.words), crew)
    slopes = touched(frame, under.corners[chosen & ~under.facets.flat], heights.cuts)
    level, flat = ceilings(under, chosen & under.facets.flat, outlines, heights)
    own = _own_masks(level, frame.words)
    surely = slopes | filled(frame, flat, own, crew)
    hanging = surely | filled(frame, region.offset(flat, TOUCHED * frame.cell), own, crew)
    if len(some.layer):
        hanging |= filled(frame, some.shape, _own_masks(some.layer, frame.words), crew)
    if spared:
        which = np.array(list(spared), np.int64)
        hanging &= ~filled(frame, np.array(list(spared.values()), object), _own_masks(which, frame.words), crew)
    under_all, under_surely, under_slopes = (lowered(words) & ~part for words in (hanging, surely & hanging, slopes))
    return Seeds(frame, part, under_all, under_surely, under_slopes)


def ceilings(
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
