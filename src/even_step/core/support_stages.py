"""The stages of what holds solids up: what hangs, supports, the foot; and what they come to."""

from __future__ import annotations

import numpy as np

from even_step.core.graph import Inputs, Stage
from even_step.core.line_stages import COVERS
from even_step.core.outline_stages import (
    BY_HAND,
    FOOTPRINTS,
    HANGING,
    HEIGHTS,
    ISLANDS,
    MESH,
    REGIONS,
    TURN,
)
from even_step.core.plane import region
from even_step.core.slicing.bridged import SpareSettings, bridged
from even_step.core.slicing.foot.brim import BrimSettings
from even_step.core.slicing.foot.foot import Foot, lay_foot
from even_step.core.slicing.foot.raft import RaftHeights, RaftSettings
from even_step.core.slicing.hanging import HangingSettings
from even_step.core.slicing.supports.body import BodySettings, SupportBody, body_of
from even_step.core.slicing.supports.by_hand import ByHandSettings, marked
from even_step.core.slicing.supports.by_zone import HereSettings, claims_of
from even_step.core.slicing.supports.columns import ColumnSettings, columns
from even_step.core.slicing.supports.held import Held, HeldSettings, held, held_by_columns
from even_step.core.slicing.supports.lines import SupportLineSettings, Supports, lay_supports
from even_step.core.slicing.supports.posts import reach, with_posts
from even_step.core.slicing.supports.removal import Removal, removal
from even_step.core.slicing.supports.resting import Resting, resting
from even_step.core.slicing.supports.seeds import ColumnShapes, SeedSettings, no_columns, seeds_of
from even_step.core.slicing.supports.slimness import Slimness, slimness
from even_step.core.slicing.supports.trees import TreeSettings, tree_columns
from even_step.core.slicing.supports.undersides import Undersides
from even_step.core.slicing.supports.volume import frame_of
from even_step.core.slicing.sway import Sway, sway
from even_step.core.slicing.walls import WallSettings
from even_step.core.slicing.ways import WaySettings


def _undersides(it: Inputs) -> Undersides:
    mesh = it[MESH]
    first = it.record(HangingSettings).first_top(float(mesh.bounds[1, 2]))
    own, here = it.record(ByHandSettings), it.by_zone(HereSettings)
    kinds = {zone: here.of((zone,)).here for zone in here.about}
    claims = claims_of(kinds, it[FOOTPRINTS], it[HEIGHTS]) if kinds else ()
    hanging = marked(mesh, it[HANGING], it[BY_HAND], first, own, it.crew, claims)
    return Undersides(*hanging, it[ISLANDS], it[BY_HAND])


def _spared(it: Inputs) -> dict[int, region.Geometry]:
    own = it.record(SpareSettings)
    return bridged(it[COVERS], it.record(WallSettings), own.longest) if own.asked else {}


def _none_spared(spared: dict[int, region.Geometry]) -> str:
    return "" if spared else "none"


def _columns(it: Inputs) -> ColumnShapes:
    own, tree, heights = it.record(ColumnSettings), it.record(TreeSettings), it[HEIGHTS]
    asked, under, outlines = it.record(SeedSettings), it[UNDERSIDES], it[REGIONS]
    branches, posts = asked.kind == "tree", under.marked.posts if asked.kind != "none" else ()
    box = np.concatenate(it[MESH].bounds[:, :2])
    pad = tree.pad if branches else own.pad
    # Whole cells more for posts: cells elsewhere lie where they lie without them.
    more = np.ceil(max(reach(posts) - float(np.abs(box).min()) - pad, 0.0) / asked.cell) * asked.cell
    frame = frame_of(box, len(heights.top), asked.cell, pad + float(more))
    seeds = seeds_of(under, outlines, heights, it[SPARED], frame, asked, it.crew)
    if seeds is None:
        wanted = no_columns(frame)
    else:
        wanted = tree_columns(seeds, heights, tree, it.crew) if branches else columns(seeds, heights, own, it.crew)
    return with_posts(wanted, posts, outlines, heights, own)


def _no_columns(found: ColumnShapes) -> str:
    return "none" if found.are_none else ""


def _body(it: Inputs) -> SupportBody:
    hangs, heights = it[UNDERSIDES].facets, it[HEIGHTS]
    ceilings = np.searchsorted(heights.cuts, hangs.low[hangs.flat & (hangs.area > 0.0)], side="right")
    ends = np.unique(np.concatenate((ceilings, it[UNDERSIDES].islands.layer)))
    return body_of(it[COLUMNS], it[REGIONS], heights, ends[ends < len(heights.top)], it.record(BodySettings), it.crew)


def _supports(it: Inputs) -> Supports:
    bottom = it.record(BodySettings).bottom(it[HEIGHTS].base)
    lines, ways = it.record(SupportLineSettings), it.record(WaySettings)
    return lay_supports(it[BODY], bottom, it[TURN], lines, ways, it.crew)


def _no_supports(laid: Supports) -> str:
    """Without any it is all the same why."""
    return "none" if laid.are_none else ""


def _held(it: Inputs) -> Held:
    frame, own = it[COLUMNS].frame, it.record(HeldSettings)
    return held(it[UNDERSIDES], it[BODY], it[REGIONS], frame, it[HEIGHTS], own, it.crew)


def _held_by_columns(it: Inputs) -> Held:
    return held_by_columns(it[UNDERSIDES], it[COLUMNS], it[REGIONS], it[HEIGHTS], it.record(HeldSettings), it.crew)


def _slimness(it: Inputs) -> Slimness:
    return slimness(it[BODY], it.record(SupportLineSettings), it.crew)


def _resting(it: Inputs) -> Resting:
    return resting(it[UNDERSIDES], it[BODY], it[REGIONS], it[HEIGHTS], it.record(HeldSettings), it.crew)


def _removal(it: Inputs) -> Removal:
    frame, own = it[COLUMNS].frame, it.record(BodySettings)
    return removal(it[BODY], it[REGIONS], it[UNDERSIDES].marked.seen, frame, it[HEIGHTS], own, it.crew)


def _sway(it: Inputs) -> Sway:
    return sway(it[REGIONS], it[HEIGHTS])


def _foot(it: Inputs) -> Foot:
    outlines = it[REGIONS]
    first = outlines.outline[outlines.which[:1]]
    records = it.record(BrimSettings), it.record(RaftHeights), it.record(RaftSettings), it.record(WaySettings)
    return lay_foot(first, it[SUPPORTS].ground, it[HEIGHTS], *records, it.crew)


UNDERSIDES = Stage(
    "islands",
    "solid",
    _undersides,
    (MESH, HANGING, ISLANDS, BY_HAND),
    (HangingSettings, ByHandSettings),
    by_zone=(HereSettings,),
    zoned=(FOOTPRINTS, HEIGHTS),
)
SPARED = Stage("spared", "solid", _spared, (COVERS,), (SpareSettings, WallSettings), alike=_none_spared)
COLUMNS = Stage(
    "supports",
    "solid",
    _columns,
    (MESH, UNDERSIDES, REGIONS, HEIGHTS, SPARED),
    (SeedSettings, ColumnSettings, TreeSettings),
    alike=_no_columns,
)
BODY = Stage("supports", "solid", _body, (COLUMNS, REGIONS, HEIGHTS, UNDERSIDES), (BodySettings,))
SUPPORTS = Stage(
    "supports",
    "solid",
    _supports,
    (BODY, HEIGHTS, TURN),
    (BodySettings, SupportLineSettings, WaySettings),
    alike=_no_supports,
)
HELD = Stage("supports", "solid", _held, (UNDERSIDES, BODY, REGIONS, COLUMNS, HEIGHTS), (HeldSettings,))
#: Only for the preview: what is laid is not cut from it.
HELD_BY_COLUMNS = Stage("supports", "solid", _held_by_columns, (UNDERSIDES, COLUMNS, REGIONS, HEIGHTS), (HeldSettings,))
SLIMNESS = Stage("supports", "solid", _slimness, (BODY,), (SupportLineSettings,))
RESTING = Stage("supports", "solid", _resting, (UNDERSIDES, BODY, REGIONS, HEIGHTS), (HeldSettings,))
REMOVAL = Stage("supports", "solid", _removal, (BODY, REGIONS, UNDERSIDES, COLUMNS, HEIGHTS), (BodySettings,))
SWAY = Stage("islands", "solid", _sway, (REGIONS, HEIGHTS))
FOOT = Stage(
    "foot", "solid", _foot, (REGIONS, HEIGHTS, SUPPORTS), (BrimSettings, RaftHeights, RaftSettings, WaySettings)
)
