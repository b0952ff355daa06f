"""The stages of solids and of their copies: what is made once for all that is laid alike, then for each turn of it."""

from __future__ import annotations

from typing import Any

import numpy as np

from even_step.core.graph import ByZone, Given, Inputs, Stage
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.rounds import no_rounds, rounds_of
from even_step.core.motion.fan import FanSettings
from even_step.core.motion.heat import HeatSettings
from even_step.core.motion.speeds import LineSettings
from even_step.core.overhang import Limits, limits_of
from even_step.core.plane import region
from even_step.core.slicing.border_cuts import cut_at_borders
from even_step.core.slicing.bridged import SpareSettings, bridged
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.changes import LaidBy
from even_step.core.slicing.contours import Contours, ContourSettings, contours
from even_step.core.slicing.covers import Covers, CoverSettings, covers
from even_step.core.slicing.foot.brim import BrimSettings
from even_step.core.slicing.foot.foot import Foot, lay_foot
from even_step.core.slicing.foot.raft import RaftHeights, RaftSettings
from even_step.core.slicing.hanging import Hanging, HangingSettings, hanging
from even_step.core.slicing.heights import Heights, HeightSettings, HeightSpan, fixed_heights, following_heights
from even_step.core.slicing.infill.infill import InfillSettings, Stand, infill
from even_step.core.slicing.infill.zoned import zoned_infill
from even_step.core.slicing.islands import Islands, islands
from even_step.core.slicing.ledger import Ledger, LedgerSettings, ledger
from even_step.core.slicing.ordering import Blocks, OrderSettings, order_lines
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.regions import Outlines, RegionSettings, closed_outlines, with_allowances
from even_step.core.slicing.supports.body import BodySettings, SupportBody, body_of
from even_step.core.slicing.supports.by_hand import ByHand, ByHandSettings, marked
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
from even_step.core.slicing.surface import facets_of, surface_of
from even_step.core.slicing.sway import Sway, sway
from even_step.core.slicing.true_size import FewSided, HoleSettings, picked_by_zone, with_few_sides
from even_step.core.slicing.walls import Walls, WallSettings, walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.slicing.whole_layers import whole_layers
from even_step.core.slicing.zoned_covers import zoned_covers
from even_step.core.slicing.zoned_walls import WallCells, walls_by_record, walls_of_cells
from even_step.core.slicing.zones import Borders, Footprints, ZoneShapes, footprints, snapped

MESH: Given[Mesh] = Given("mesh", "solid")
TURN: Given[float] = Given("turn", "solid")
ONE_SHELL: Given[bool] = Given("one shell", "solid")
OVERHANG: Given[Limits] = Given("overhang limits", "solid")
STANDS: Given[Stand] = Given("stands", "copy")
ZONES: Given[ZoneShapes] = Given("zones", "solid")
BY_HAND: Given[ByHand] = Given("by hand", "solid")
AT: Given[tuple[float, float]] = Given("place", "copy")


def _spans(it: Inputs) -> tuple[HeightSpan, ...]:
    """Return where zones that take whole layers want layers of another height, in their order."""
    mesh, zones, plain = it[MESH], it[ZONES], it.record(HeightSettings)
    wanted, ends, found = it.by_zone(HeightSettings), fixed_heights(float(mesh.bounds[1, 2]), plain), []
    for zone in wanted.about:
        shape, snap = zones.shapes[zone], zones.snaps[zone]
        if isinstance(shape, Mesh) and len(shape.faces):
            placed = shape if snap == "layers" else snapped(shape, snap, ends)
            taken = whole_layers(mesh, placed, plain.least, it.record(ContourSettings), it.crew)
            found += [HeightSpan(low, high, wanted.of((zone,)).height) for low, high in taken]
    return tuple(found)


def _heights(it: Inputs) -> Heights:
    mesh, settings, lift = it[MESH], it.record(HeightSettings), it.record(RaftHeights).lift
    tall, spans = float(mesh.bounds[1, 2]), it[SPANS] if it.by_zone(HeightSettings).about else ()
    if settings.follow:
        return following_heights(tall, surface_of(facets_of(mesh)), settings, spans).over(lift)
    return fixed_heights(tall, settings, spans).over(lift)


def _hanging(it: Inputs) -> Hanging:
    mesh = it[MESH]
    own = it.record(HangingSettings)
    limits, first = limits_of(own.angle, it[OVERHANG]), own.first_top(float(mesh.bounds[1, 2]))
    return hanging(mesh, limits, first, it.crew, one_shell=it[ONE_SHELL])


def _contours(it: Inputs) -> Contours:
    mesh, heights = it[MESH], it[HEIGHTS]
    cuts = heights.cuts
    if len(cuts) and heights.tops[0] <= heights.thick[0]:
        # A part thinner than half a layer is not to be missed.
        cuts[0] = min(cuts[0], float(mesh.bounds[1, 2]) / 2)
    return contours(mesh, cuts, it.record(ContourSettings), it.crew)


def _rounded(it: Inputs) -> FewSided:
    closed, plain, zoned = closed_outlines(it[CONTOURS], it.crew), it.record(HoleSettings), it.by_zone(HoleSettings)
    rounds, cuts = rounds_of(it[MESH]) if plain.asked or zoned.about else no_rounds(), it[HEIGHTS].cuts
    if zoned.about:
        wanted = picked_by_zone(rounds, it[FOOTPRINTS], zoned.about, zoned.of)
    else:
        wanted = np.tile(plain.picks(rounds.hole), (len(cuts), 1))
    return with_few_sides(closed, cuts, rounds, wanted, it.crew)


def _regions(it: Inputs) -> Outlines:
    return with_allowances(it[ROUNDED].outlines, it.record(RegionSettings), it.crew)


def _borders(it: Inputs, *records: ByZone[Any]) -> Borders:
    """Return the borders of all zones that say anything of some records."""
    about = {zone for one in records for zone in one.about}
    return Borders(it[REGIONS], it[FOOTPRINTS], {zone: tuple(one.says(zone) for one in records) for zone in about})


def _walls_by_record(it: Inputs) -> tuple[WallCells, dict[WallSettings, Walls]]:
    zoned = it.by_zone(WallSettings)
    return walls_by_record(_borders(it, zoned), it[HEIGHTS].thick, zoned.of, it.crew)


def _walls(it: Inputs) -> Walls:
    if not it.by_zone(WallSettings).about:
        return walls(it[REGIONS], it[HEIGHTS].thick, it.record(WallSettings), it.crew)
    return walls_of_cells(it[REGIONS], *it[WALLS_BY_RECORD], it.crew)


def _covers(it: Inputs) -> Covers:
    over_air, turn, own = it.record(BridgeSettings), it[TURN], it.by_zone(CoverSettings)
    if not own.about:
        return covers(it[REGIONS], it[WALLS], it[HEIGHTS], it.record(CoverSettings).turned(turn), over_air, it.crew)

    made = it[WALLS], it[HEIGHTS]
    return zoned_covers(_borders(it, own), *made, lambda zones: own.of(zones).turned(turn), over_air, it.crew)


def _infill(it: Inputs) -> tuple[Fill, ...]:
    plain, zoned = it.record(InfillSettings), it.by_zone(InfillSettings)
    if not zoned.about:
        return infill(it[WALLS], it[COVERS], it[HEIGHTS], it[STANDS], plain, it.crew)
    made = it[WALLS], it[COVERS], it[HEIGHTS], it[STANDS]
    return zoned_infill(_borders(it, zoned), *made, zoned.of, it.crew)


def _footprints(it: Inputs) -> Footprints:
    return footprints(it[ZONES], it[HEIGHTS], it.record(ContourSettings), it.crew)


def _bare(filled: tuple[Fill, ...]) -> str:
    """Without any line it is all the same how infill would have been laid."""
    return "" if any(len(fill.lines.start) > 1 for fill in filled) else "bare"


def _order(it: Inputs) -> Blocks:
    fills = (*it[COVERS].fills, *it[INFILL], *it[COVERS].tops)
    done = order_lines(it[REGIONS], it[WALLS], fills, it.record(OrderSettings), it.record(WaySettings), it.crew)
    records = it.borders()
    return cut_at_borders(done, _borders(it, *records), it.crew) if any(one.about for one in records) else done


def _islands(it: Inputs) -> Islands:
    return islands(it[REGIONS])


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


def _ledger(it: Inputs) -> Ledger:
    blocks = it[BLOCKS]
    settings = [it.by_role(LedgerSettings, zones) for zones in blocks.zones]
    return ledger(it[REGIONS], it[COVERS], blocks, it[HEIGHTS].thick, settings, it.crew)


#: Made only with zones that want another height of layers.
SPANS = Stage(
    "heights", "solid", _spans, (MESH, ZONES), (HeightSettings, ContourSettings), by_zone=(HeightSettings,), alike=repr
)
HEIGHTS = Stage(
    "heights",
    "solid",
    _heights,
    (MESH,),
    (HeightSettings, RaftHeights),
    by_zone=(HeightSettings,),
    zoned=(SPANS,),
)
HANGING = Stage("hanging", "solid", _hanging, (MESH, OVERHANG, ONE_SHELL), (HangingSettings,))
CONTOURS = Stage("contours", "solid", _contours, (MESH, HEIGHTS), (ContourSettings,))
FOOTPRINTS = Stage("zones", "solid", _footprints, (ZONES, HEIGHTS), (ContourSettings,))
ROUNDED = Stage(
    "holes",
    "solid",
    _rounded,
    (MESH, CONTOURS, HEIGHTS),
    (HoleSettings,),
    by_zone=(HoleSettings,),
    zoned=(FOOTPRINTS,),
)
REGIONS = Stage("regions", "solid", _regions, (ROUNDED,), (RegionSettings,))
#: Made only with zones: of each record that holds somewhere, as if it held everywhere; ``WALLS`` are what is laid.
WALLS_BY_RECORD = Stage(
    "walls", "solid", _walls_by_record, (REGIONS, HEIGHTS), by_zone=(WallSettings,), zoned=(FOOTPRINTS,)
)
WALLS = Stage(
    "walls",
    "solid",
    _walls,
    (REGIONS, HEIGHTS),
    (WallSettings,),
    by_zone=(WallSettings,),
    zoned=(WALLS_BY_RECORD, FOOTPRINTS),
)
COVERS = Stage(
    "covers",
    "solid",
    _covers,
    (REGIONS, WALLS, HEIGHTS, TURN),
    (CoverSettings, BridgeSettings),
    by_zone=(CoverSettings,),
    zoned=(FOOTPRINTS,),
)
ISLANDS = Stage("islands", "solid", _islands, (REGIONS,))
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
INFILL = Stage(
    "infill",
    "copy",
    _infill,
    (REGIONS, WALLS, COVERS, HEIGHTS, STANDS),
    (InfillSettings,),
    by_zone=(InfillSettings,),
    zoned=(FOOTPRINTS,),
    alike=_bare,
)
BLOCKS = Stage(
    "order",
    "copy",
    _order,
    (REGIONS, WALLS, COVERS, INFILL),
    (OrderSettings, WaySettings),
    borders=(LineSettings, FanSettings, HeatSettings, LaidBy, LedgerSettings),
    zoned=(FOOTPRINTS,),
)
LEDGER = Stage("ledger", "copy", _ledger, (REGIONS, COVERS, BLOCKS, HEIGHTS), by_role=(LedgerSettings,))

STAGES_OF_PARTS = (
    *(HEIGHTS, HANGING, CONTOURS, ROUNDED, REGIONS, FOOTPRINTS, WALLS_BY_RECORD, WALLS, COVERS),
    *(
        ISLANDS,
        UNDERSIDES,
        SPARED,
        COLUMNS,
        BODY,
        SUPPORTS,
        HELD,
        SLIMNESS,
        RESTING,
        REMOVAL,
        SWAY,
        FOOT,
        INFILL,
        BLOCKS,
        LEDGER,
    ),
)
