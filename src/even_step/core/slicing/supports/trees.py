"""Stage 7, trees: contacts under what hangs, and branches that lean and join on their way down.

Where a branch may be is worked out upward from the bed (or the part) in slabs of a few layers: a place is open if it
keeps clear of the part and an open place lies within the lean below. Branches then walk down through open places toward
their nearest neighbours and become one where they meet (after Vanek et al., "Clever Support", 2014, and Schmidt and
Umetani, "Branching support structures", 2014).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import supports, trees
from even_step.core.plane import region
from even_step.core.plane.ragged import Index
from even_step.core.plane.region import Regions
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.supports.branches import open_places, places, slabs_of, thinned, walked
from even_step.core.slicing.supports.growing import grown
from even_step.core.slicing.supports.seeds import ColumnShapes, Seeds, no_columns
from even_step.core.slicing.supports.volume import Frame, Words
from even_step.core.work import Crew, runs_of

STEPS = 1.5  # cells aside that a branch may go in a slab
SAFETY = 0.75  # of a cell, beyond what a branch keeps clear: half a diagonal
SIDES = 16  # of a branch's section
WIDER = 1.03  # times the radius, for the corners of a section lie outside its circle


@dataclass(frozen=True)
class TreeSettings:
    """How branches stand: degrees from the vertical, and diameters and distances in mm."""

    stands: Annotated[str, supports.FROM]
    gap_above: Annotated[float, supports.GAP_ABOVE]
    gap_beside: Annotated[float, supports.GAP_BESIDE]
    angle: Annotated[float, trees.ANGLE]
    spacing: Annotated[float, trees.SPACING]
    tip: Annotated[float, trees.TIP]
    thin: Annotated[float, trees.THIN]
    thick: Annotated[float, trees.THICK]

    @property
    def lean(self) -> float:
        """How far branches go aside per height."""
        return float(np.tan(np.radians(self.angle)))

    @property
    def pad(self) -> float:
        """How far branches may go beyond the part, mm."""
        return self.gap_beside + self.thin + self.thick / 2 + 2.0


@dataclass(frozen=True, eq=False)
class Branches:
    """Stretches of branches, each through one slab.

    Attributes
    ----------
    slab : (n,) int64
        Which slab.
    upper, lower : (n, 2) float64
        Where its middle is at the top and at the bottom of the slab, mm.
    wide : (n, 2) float64
        Its radius there, mm.
    tip : (n,) bool
        Whether it is right under what hangs.
    """

    slab: Index
    upper: NDArray[np.float64]
    lower: NDArray[np.float64]
    wide: NDArray[np.float64]
    tip: NDArray[np.bool_]


def tree_columns(seeds: Seeds, heights: Heights, settings: TreeSettings, crew: Crew) -> ColumnShapes:
    """Grow trees under what hangs; their branches as shapes, layer by layer.

    Parameters
    ----------
    seeds
        Cells right under what hangs, and the cells of the part.
    heights
        Of the part's layers.
    settings
        How branches stand.
    """
    layers, frame = len(heights.top), seeds.frame
    contacts = _contacts(seeds.under, frame, heights, settings.spacing)
    if len(contacts) == 0:
        return no_columns(frame)
    bounds = slab_bounds(heights.tops, STEPS * frame.cell / settings.lean)
    walk = _Walk(frame, heights, bounds, settings)
    branches = walk.down(seeds, contacts, crew)
    if len(branches.slab) == 0:
        return no_columns(frame)
    shape = _sections(branches, heights, bounds, 0.0, crew)
    tips = branches.tip
    near = Branches(*(getattr(branches, name)[tips] for name in Branches.__dataclass_fields__))
    slopes = _sections(near, heights, bounds, settings.gap_beside, crew)
    which, under = (np.where(region.is_empty(some), -1, np.arange(layers)) for some in (shape, slopes))
    return ColumnShapes(frame, which, shape, under, slopes)


def slab_bounds(top: NDArray[np.float64], thick: float) -> Index:
    """Return the first layer of each slab of layers that together are about so thick, mm, and the end of the last."""
    out, begin = [0], 0.0
    for layer, z in enumerate(top.tolist()):
        if z - begin >= thick - 1e-6:
            out.append(layer + 1)
            begin = z
    return np.array(out if out[-1] == len(top) else [*out, len(top)], np.int64)


def _contacts(under: Words, frame: Frame, heights: Heights, spacing: float) -> Index:
    """Return layer, row and column of each contact, (n, 3), the lowest first, none nearer to another than spacing."""
    found = np.asarray(places(under, frame.layers))
    return np.asarray(thinned(found, heights.top, frame.cell, spacing))


@dataclass(eq=False)
class _Walk:
    """Walks branches down through slabs."""

    frame: Frame
    heights: Heights
    bounds: Index
    settings: TreeSettings

    def down(self, seeds: Seeds, contacts: Index, crew: Crew) -> Branches:
        """Walk from the contacts to the bed, or to the part where that is allowed."""
        own, count = self.settings, len(self.bounds) - 1
        slabs = np.asarray(slabs_of(seeds.part, self.bounds))
        clear = own.thin / 2 + own.gap_beside + SAFETY * self.frame.cell
        free = ~grown(self.frame, slabs, clear, crew)
        hull = ~slabs
        open_ = np.asarray(open_places(free, count))
        bare = self.frame.empty()
        for some in (seeds.bare, seeds.seen):
            bare |= some if some is not None else bare
        no_foot = grown(self.frame, np.asarray(slabs_of(bare, self.bounds)), own.thick / 2, crew)
        slab = np.searchsorted(self.bounds, contacts[:, 0], side="right") - 1
        x = self.frame.corner[0] + (contacts[:, 2] + 0.5) * self.frame.cell
        y = self.frame.corner[1] + (contacts[:, 1] + 0.5) * self.frame.cell
        tall = np.diff(np.append(0.0, self.heights.tops)[self.bounds])
        found = walked(
            np.stack((x, y), axis=1),
            slab,
            tall,
            (open_, free, hull, no_foot),
            (*self.frame.corner, self.frame.cell),
            (own.lean, own.tip / 2, own.thin / 2, max(own.thick, own.thin) / 2, own.gap_above + 2.0 * own.gap_beside),
            own.stands == "everywhere",
            bool(bare.any()),
        )
        return Branches(*found)


def _joined(discs: Regions, middle: NDArray[np.float64], radius: NDArray[np.float64]) -> region.Geometry:
    """Unite discs; only those that may meet are given to the polygon library as such."""
    apart = np.hypot(*(middle[:, None] - middle[None]).transpose(2, 0, 1))
    meets = apart < WIDER * (radius[:, None] + radius[None])
    np.fill_diagonal(meets, val=False)
    near = meets.any(axis=1)
    if not near.any():
        pieces, _ = region.pieces(discs)
        return region.gathered(pieces, np.zeros(len(pieces), np.int64), 1)[0]
    both, _ = region.pieces(np.array([region.union_all(discs[near])], object))
    pieces = np.concatenate((both, region.pieces(discs[~near])[0]))
    return region.gathered(pieces, np.zeros(len(pieces), np.int64), 1)[0]


def _sections(branches: Branches, heights: Heights, bounds: Index, more: float, crew: Crew) -> Regions:
    """Return the sections of branches in each layer, ``more`` mm wider, (L,) regions."""
    tops = np.append(0.0, heights.tops)
    order = np.argsort(branches.slab, kind="stable")
    begins = np.searchsorted(branches.slab[order], np.arange(len(bounds)))
    turn = 2 * np.pi * np.arange(SIDES) / SIDES
    ring = np.stack((np.cos(turn), np.sin(turn)), axis=1) / np.cos(np.pi / SIDES)

    def draw(first: int, last: int) -> Regions:
        out = region.nothing(last - first)
        for layer in range(first, last):
            t = int(np.searchsorted(bounds, layer, side="right")) - 1
            some = order[begins[t] : begins[t + 1]]
            if len(some) == 0:
                continue
            low, high = tops[bounds[t]], tops[bounds[t + 1]]
            down = float((high - 0.5 * (tops[layer] + tops[layer + 1])) / (high - low))
            middle = branches.upper[some] * (1.0 - down) + branches.lower[some] * down
            radius = branches.wide[some, 0] * (1.0 - down) + branches.wide[some, 1] * down + more
            xy = middle[:, None] + ring * radius[:, None, None]
            start = np.arange(0, len(some) * SIDES + 1, SIDES)
            each = np.arange(len(some))
            discs = region.from_rings(xy.reshape(-1, 2), start, each, each, len(some))
            out[layer - first] = _joined(discs, middle, radius)
        return out

    done = crew.each(draw, runs_of(np.ones(len(heights.top)), most=16))
    return np.concatenate(done)
