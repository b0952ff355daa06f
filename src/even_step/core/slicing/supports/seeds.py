"""Stage 7, seeds: what hangs, marked in the cells of a volume over the part."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import supports
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Geometry, Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.islands import Islands
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.supports.growing import lowered
from even_step.core.slicing.supports.undersides import Undersides
from even_step.core.slicing.supports.volume import Frame, Words, filled, layer_masks, touched
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
    barred : (W, rows, columns) uint64
        The cells right under what is kept clear.
    bare, seen : (W, rows, columns) uint64
        The cells right over faces that nothing may stand on, and over show faces, of which supports may take ``left``
        mm²; none where there are no such faces.
    """

    frame: Frame
    part: Words
    under: Words
    surely: Words
    slopes: Words
    barred: Words | None = None
    bare: Words | None = None
    seen: Words | None = None
    left: float = 0.0

    @property
    def free(self) -> Words:
        """The cells that supports may be in."""
        return ~self.part if self.barred is None else ~self.part & ~self.barred


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


def no_columns(frame: Frame) -> ColumnShapes:
    """Return none."""
    none = np.full(frame.layers, -1, np.int64)
    return ColumnShapes(frame, none, region.nothing(0), none, region.nothing(0))


def seeds_of(
    under: Undersides,
    outlines: Outlines,
    heights: Heights,
    spared: dict[int, Geometry],
    frame: Frame,
    settings: SeedSettings,
    crew: Crew,
) -> Seeds | None:
    """Mark what hangs; none where nothing is to be held.

    Parameters
    ----------
    under
        Facets past the limit, islands, and what a hand made of them.
    outlines, heights
        Of the part's layers.
    spared : region by layer
        Undersides that are left alone.
    frame
        The cells.
    settings
        What is to be held.
    """
    hand, bare = under.marked, under.facets.area > 0.0
    chosen = bare & ~hand.clear & (_long_enough(under, settings.least_length) | hand.hold)
    some = _large_enough(under.islands, settings.least_length)
    if settings.kind == "none" or frame.layers < 2 or not (chosen.any() or len(some.layer)):
        return None
    cells = _Cells(frame, under, outlines, heights, crew)
    part = filled(frame, outlines.outline, layer_masks(outlines.which, len(outlines.outline), frame.words), crew)
    slopes, surely, hanging = cells.of(chosen)
    if len(some.layer):
        hanging |= filled(frame, some.shape, _own_masks(some.layer, frame.words), crew)
    if spared:
        which = np.array(list(spared), np.int64)
        alone = filled(frame, np.array(list(spared.values()), object), _own_masks(which, frame.words), crew)
        hanging &= ~alone if not hand.hold.any() else ~(alone & ~cells.of(hand.hold & bare)[2])
    barred = lowered(cells.of(hand.clear & bare)[2]) if (hand.clear & bare).any() else None
    free = ~part if barred is None else ~part & ~barred
    all_, sure, sloping = (lowered(words) & free for words in (hanging, surely & hanging, slopes))
    no_foot = cells.over(hand.bare if hand.left > 0.0 else np.concatenate((hand.bare, hand.seen)))
    seen = cells.over(hand.seen) if hand.left > 0.0 else None
    return Seeds(frame, part, all_, sure, sloping, barred, no_foot, seen, hand.left)


class _Cells(NamedTuple):
    """Marks cells at a solid's surface."""

    frame: Frame
    under: Undersides
    outlines: Outlines
    heights: Heights
    crew: Crew

    def of(self, chosen: NDArray[np.bool_]) -> tuple[Words, Words, Words]:
        """Return the cells over some hanging facets: over slopes; whose middles lie over any; that touch any."""
        facets, frame, crew = self.under.facets, self.frame, self.crew
        slopes = touched(frame, facets.corners[chosen & ~facets.flat], self.heights.cuts)
        level, flat = ceilings(self.under, chosen & facets.flat, self.outlines, self.heights)
        own = _own_masks(level, frame.words)
        surely = slopes | filled(frame, flat, own, crew)
        return slopes, surely, surely | filled(frame, region.offset(flat, TOUCHED * frame.cell), own, crew)

    def over(self, corners: NDArray[np.float64]) -> Words | None:
        """Return the cells right over facets that are turned up."""
        return touched(self.frame, corners, self.heights.cuts) if len(corners) else None


def ceilings(
    under: Undersides, chosen: NDArray[np.bool_], outlines: Outlines, heights: Heights
) -> tuple[Index, Regions]:
    """Return the layers in which flat undersides begin, and what of them has no part beneath."""
    facets = np.flatnonzero(chosen)
    layer = np.searchsorted(heights.cuts, under.facets.low[facets], side="right")
    levels = np.unique(layer[(layer > 0) & (layer < len(heights.top))])
    corners, out = under.facets.corners[facets, :, :2], region.nothing(len(levels))
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
    xyz, patch = under.facets.corners, under.facets.patch
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
