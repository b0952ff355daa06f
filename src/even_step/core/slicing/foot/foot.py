"""What holds one solid to the bed, and what of it has to give way to its neighbours."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.plane import cut, region
from even_step.core.plane.ragged import Index, Points, starts_of
from even_step.core.plane.region import Regions
from even_step.core.slicing.foot.brim import SHORTEST, BrimSettings, brim_loops
from even_step.core.slicing.foot.raft import RaftHeights, RaftSettings, lay_raft, raft_area
from even_step.core.slicing.heights import Heights
from even_step.core.slicing.ordering import Blocks, Ordered, no_blocks, open_paths
from even_step.core.slicing.ways import WaySettings
from even_step.core.toolpath.roles import BRIM
from even_step.core.work import Crew


@dataclass(frozen=True, eq=False)
class Foot:
    """A foot, layer by layer from the bed up, in the solid's own frame.

    Attributes
    ----------
    blocks : Blocks
        Its lines.
    top, thick : (F,) float64
        Of each of its layers, mm.
    number : (F,) int64
        0 beside the part's first layer, below 0 beneath it.
    ground : (1,) regions
        What it covers of the bed, without the part; mm.
    """

    blocks: Blocks
    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    number: Index
    ground: Regions


def lay_foot(
    outline: Regions,
    beside: Regions,
    heights: Heights,
    brim: BrimSettings,
    raft_heights: RaftHeights,
    raft: RaftSettings,
    ways: WaySettings,
    crew: Crew,
) -> Foot:
    """Lay the foot that is chosen for a solid.

    Parameters
    ----------
    outline : (1,) regions
        Its first layer, mm.
    beside : (1,) regions
        What its supports cover of the bed, mm: a raft carries them, a brim keeps off them.
    heights
        Of its layers, over the foot.
    brim, raft_heights, raft, ways
        Which foot, and what it is like.
    """
    if brim.kind == "raft" and not region.is_empty(outline)[0]:
        thick = raft_heights.thick
        stands = region.union(outline, beside)
        blocks = lay_raft(stands, raft_heights, raft, ways, crew)
        below = np.arange(-len(thick), 0)
        top: NDArray[np.float64] = np.round(np.cumsum(thick), 3).astype(np.float64)
        return Foot(blocks, top, thick, below, raft_area(stands, raft.margin))
    if brim.kind == "brim":
        loops = brim_loops(outline, float(heights.thick[0]), brim)
        if loops:
            blocks = _blocks_of(_in_a_row(loops), brim.line_width)
            if not region.is_empty(beside)[0]:
                taken = region.offset_round(beside, brim.line_width / 2 + brim.gap)[0]
                blocks = outside(blocks, taken)
            return Foot(blocks, heights.top[:1], heights.thick[:1], np.zeros(1, np.int64), ground_of(blocks))
    return Foot(no_blocks(), np.empty(0), np.empty(0), np.empty(0, np.int64), region.nothing(1))


def ground_of(blocks: Blocks) -> Regions:
    """Return what the lines of a foot's lowest layer cover of the bed, (1,)."""
    paths = blocks.paths
    return np.array([cut.stroked(paths.xy, paths.start, paths.width.astype(np.float64))], object)


def _in_a_row(places: list[list[Points]]) -> list[Points]:
    """Put lines in order: the nearest place next, and each closed line begun where the one before ends."""
    at, left, out = np.zeros(2), list(places), []
    while left:
        nearest = min(range(len(left)), key=lambda i: float(np.hypot(*(left[i][0][0] - at))))
        for loop in left.pop(nearest):
            closed = bool((loop[0] == loop[-1]).all())
            if closed:
                turn = int(np.argmin(np.hypot(*(loop[:-1] - at).T)))
                loop = np.concatenate((loop[turn:-1], loop[: turn + 1]))  # noqa: PLW2901 - the same line, begun elsewhere
            elif np.hypot(*(loop[-1] - at)) < np.hypot(*(loop[0] - at)):
                loop = loop[::-1]  # noqa: PLW2901 - the same line, laid the other way
            out.append(loop)
            at = loop[-1]
    return out


def _blocks_of(lines: list[Points], width: float) -> Blocks:
    """Return one layer of brim lines."""
    paths = open_paths(lines, BRIM, width)
    none = np.zeros(1, np.int64)
    return Blocks(none, none, paths, np.array([0, len(lines)], np.int64))


def kept_apart(
    laid: list[Blocks],
    grounds: list[Regions],
    stands: list[Regions],
    places: list[tuple[float, float]],
    gaps: list[float],
) -> list[Blocks]:
    """Return the lines beside each part, without what lies on another part or on what is laid beside one before.

    Parameters
    ----------
    laid
        Lines beside each placed part, in its own frame.
    grounds : of (1,) regions
        What they cover, mm.
    stands : of (1,) regions
        What nothing of another part may cover, mm.
    places
        Where the parts stand, mm.
    gaps
        How far lines keep off others, mm.
    """
    kept = [region.shifted(one[0], *at) for one, at in zip(stands, places, strict=True)]
    covers = [region.shifted(ground[0], *at) for ground, at in zip(grounds, places, strict=True)]
    all_kept, all_covers = (np.array([*some, region.nothing(1)[0]], object)[:-1] for some in (kept, covers))
    kept_boxes, boxes = region.bounds(all_kept), region.bounds(all_covers)
    out = []
    for i, blocks in enumerate(laid):
        meeting = cut.boxes_overlap(boxes[i], kept_boxes)
        meeting[i] = False
        others = np.concatenate((all_kept[meeting], all_covers[:i][cut.boxes_overlap(boxes[i], boxes[:i])]))
        near = others[region.touches(np.repeat(all_covers[i : i + 1], len(others)), others)]
        if len(blocks.paths.role) == 0 or len(near) == 0:
            out.append(blocks)
            continue
        half = float(blocks.paths.width.max()) / 2
        taken = region.offset_round(np.array([region.union_all(near)], object), half + gaps[i])[0]
        out.append(outside(blocks, region.shifted(taken, -places[i][0], -places[i][1])))
    return out


def outside(blocks: Blocks, taken: region.Geometry) -> Blocks:
    """Cut away what of some lines lies in a region."""
    paths = blocks.paths
    lines = [paths.xy[a:b] for a, b in zip(paths.start[:-1], paths.start[1:], strict=True)]
    pieces = [cut.lines_outside([line], taken, SHORTEST) for line in lines]
    counts = [len(some) for some in pieces]
    origin = np.repeat(np.arange(len(lines)), counts)
    flat = [piece for some in pieces for piece in some]
    left = Ordered(
        np.concatenate(flat) if flat else np.empty((0, 2)),
        starts_of(np.array([len(piece) for piece in flat], np.int64)),
        paths.role[origin],
        paths.width[origin],
        paths.height[origin],
        paths.held[origin],
        np.zeros(len(origin), np.bool_),
        np.empty((0, 2)),
        np.zeros(len(origin) + 1, np.int64),
    )
    return replace(blocks, paths=left, block=starts_of(np.array(counts, np.int64))[blocks.block])
