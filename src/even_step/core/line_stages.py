"""The stages of solids and their copies from outlines to lines in order: walls, covers, infill, and the ledger."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from even_step.core.graph import ByZone, Inputs, Stage
from even_step.core.motion.fan import FanSettings
from even_step.core.motion.heat import HeatSettings
from even_step.core.motion.speeds import LineSettings
from even_step.core.outline_stages import (
    FOOTPRINTS,
    HEIGHTS,
    REGIONS,
    STANDS,
    TURN,
)
from even_step.core.slicing.border_cuts import cut_at_borders
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.changes import LaidBy
from even_step.core.slicing.covers import Covers, CoverSettings, covers
from even_step.core.slicing.infill.infill import InfillSettings, infill
from even_step.core.slicing.infill.zoned import zoned_infill
from even_step.core.slicing.ledger import Ledger, LedgerSettings, ledger
from even_step.core.slicing.ordering import Blocks, OrderSettings, order_lines
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.regions import Outlines
from even_step.core.slicing.texture import TextureSettings, with_texture
from even_step.core.slicing.vase import VaseBottom, VaseSettings, below, level_ones, with_spiral, with_turns
from even_step.core.slicing.walls import Walls, WallSettings, walls
from even_step.core.slicing.ways import WaySettings
from even_step.core.slicing.zoned_covers import zoned_covers
from even_step.core.slicing.zoned_walls import WallCells, walls_by_record, walls_of_cells
from even_step.core.slicing.zones import Borders
from even_step.core.toolpath.roles import OUTER_WALL


def _turns_from(it: Inputs) -> int:
    """Return the first layer that the line of a vase climbs through, 0 of what is none."""
    return it.record(VaseBottom).first_turn(it[HEIGHTS].thick)


def _built(it: Inputs) -> Outlines:
    """Return the outlines of what is laid level: of a vase its bottom."""
    return below(it[REGIONS], it[TURNS_FROM]) if it[TURNS_FROM] else it[REGIONS]


def _borders(it: Inputs, *records: ByZone[Any], outlines: Outlines | None = None) -> Borders:
    """Return the borders of all zones that say anything of some records, within what is laid level or some outlines."""
    about = {zone for one in records for zone in one.about}
    within = _built(it) if outlines is None else outlines
    return Borders(within, it[FOOTPRINTS], {zone: tuple(one.says(zone) for one in records) for zone in about})


def _walls_by_record(it: Inputs) -> tuple[WallCells, dict[WallSettings, Walls]]:
    zoned = it.by_zone(WallSettings)
    return walls_by_record(_borders(it, zoned), it[HEIGHTS].thick, zoned.of, it.crew)


def _walls(it: Inputs) -> Walls:
    if not it.by_zone(WallSettings).about:
        return walls(_built(it), it[HEIGHTS].thick, it.record(WallSettings), it.crew)
    return walls_of_cells(_built(it), *it[WALLS_BY_RECORD], it.crew)


def _covers(it: Inputs) -> Covers:
    over_air, turn, own = it.record(BridgeSettings), it[TURN], it.by_zone(CoverSettings)
    plain = it.record(CoverSettings).turned(turn)
    if it[TURNS_FROM] and not plain.reach(it[HEIGHTS].thick)[1].any():
        plain = replace(plain, top_layers=0, top_thickness=0.0)  # a vase without a bottom is open there
    if not own.about:
        return covers(_built(it), it[WALLS], it[HEIGHTS], plain, over_air, it.crew)
    made = it[WALLS], it[HEIGHTS]
    return zoned_covers(_borders(it, own), *made, lambda zones: own.of(zones).turned(turn), over_air, it.crew)


def _infill(it: Inputs) -> tuple[Fill, ...]:
    plain, zoned = it.record(InfillSettings), it.by_zone(InfillSettings)
    if it[TURNS_FROM]:
        plain = replace(plain, density=0.0)
    if not zoned.about or it[TURNS_FROM]:
        return infill(it[WALLS], it[COVERS], it[HEIGHTS], it[STANDS], plain, it.crew)
    made = it[WALLS], it[COVERS], it[HEIGHTS], it[STANDS]
    return zoned_infill(_borders(it, zoned), *made, zoned.of, it.crew)


def _bare(filled: tuple[Fill, ...]) -> str:
    """Without any line it is all the same how infill would have been laid."""
    return "" if any(len(fill.lines.start) > 1 for fill in filled) else "bare"


def _order(it: Inputs) -> Blocks:
    fills = (*it[COVERS].fills, *it[INFILL], *it[COVERS].tops)
    done = order_lines(_built(it), it[WALLS], fills, it.record(OrderSettings), it.record(WaySettings), it.crew)
    first, thick, records = it[TURNS_FROM], it[HEIGHTS].thick, it.borders()
    done = with_spiral(done, it[REGIONS], it[HEIGHTS], first, it.record(VaseSettings)) if first else done
    if any(one.about for one in records):
        done = cut_at_borders(done, _borders(it, *records, outlines=it[REGIONS]), it.crew)
    rough = tuple(it.by_zone(TextureSettings).of(zones) for zones in done.zones)
    return with_texture(done, it[REGIONS], thick, rough, it.crew) if any(one.depth for one in rough) else done


def _ledger(it: Inputs) -> Ledger:
    blocks, first, thick = it[BLOCKS], it[TURNS_FROM], it[HEIGHTS].thick
    settings = [it.by_role(LedgerSettings, zones) for zones in blocks.zones]
    found = ledger(_built(it), it[COVERS], level_ones(blocks, first) if first else blocks, thick, settings, it.crew)
    flow = settings[0][OUTER_WALL].flow_of(first=False)
    return with_turns(found, blocks, it[REGIONS], thick, first, flow) if first else found


TURNS_FROM = Stage("vase", "solid", _turns_from, (HEIGHTS,), (VaseBottom,), alike=repr)
#: Made only with zones: of each record that holds somewhere, as if it held everywhere; ``WALLS`` are what is laid.
WALLS_BY_RECORD = Stage(
    "walls", "solid", _walls_by_record, (REGIONS, HEIGHTS, TURNS_FROM), by_zone=(WallSettings,), zoned=(FOOTPRINTS,)
)
WALLS = Stage(
    "walls",
    "solid",
    _walls,
    (REGIONS, HEIGHTS, TURNS_FROM),
    (WallSettings,),
    by_zone=(WallSettings,),
    zoned=(WALLS_BY_RECORD, FOOTPRINTS),
)
COVERS = Stage(
    "covers",
    "solid",
    _covers,
    (REGIONS, TURNS_FROM, WALLS, HEIGHTS, TURN),
    (CoverSettings, BridgeSettings),
    by_zone=(CoverSettings,),
    zoned=(FOOTPRINTS,),
)
INFILL = Stage(
    "infill",
    "copy",
    _infill,
    (REGIONS, TURNS_FROM, WALLS, COVERS, HEIGHTS, STANDS),
    (InfillSettings,),
    by_zone=(InfillSettings,),
    zoned=(FOOTPRINTS,),
    alike=_bare,
)
BLOCKS = Stage(
    "order",
    "copy",
    _order,
    (REGIONS, HEIGHTS, TURNS_FROM, WALLS, COVERS, INFILL),
    (OrderSettings, WaySettings, VaseSettings, TextureSettings),
    by_zone=(TextureSettings,),
    borders=(TextureSettings, LineSettings, FanSettings, HeatSettings, LaidBy, LedgerSettings),
    zoned=(FOOTPRINTS,),
)
LEDGER = Stage("ledger", "copy", _ledger, (REGIONS, TURNS_FROM, COVERS, BLOCKS, HEIGHTS), by_role=(LedgerSettings,))
