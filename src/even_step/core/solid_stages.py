"""The stages of solids and of their copies: what is made once for all that is laid alike, then for each turn of it."""

from __future__ import annotations

from typing import TypeAlias

from even_step.core.graph import Given, Inputs, Stage
from even_step.core.mesh.mesh import Mesh
from even_step.core.slicing.bridges import BridgeSettings
from even_step.core.slicing.contours import Contours, ContourSettings, contours
from even_step.core.slicing.covers import Covers, CoverSettings, covers
from even_step.core.slicing.foot.brim import BrimSettings
from even_step.core.slicing.foot.foot import Foot, lay_foot
from even_step.core.slicing.foot.raft import RaftHeights, RaftSettings
from even_step.core.slicing.hanging import Hanging, HangingSettings, hanging
from even_step.core.slicing.heights import Heights, HeightSettings, fixed_heights
from even_step.core.slicing.infill.infill import InfillSettings, Lie, infill
from even_step.core.slicing.ledger import Ledger, LedgerSettings, ledger
from even_step.core.slicing.ordering import Blocks, OrderSettings, order_lines
from even_step.core.slicing.patterns.pattern import Fill
from even_step.core.slicing.regions import Outlines, RegionSettings, outlines_of
from even_step.core.slicing.walls import Walls, WallSettings, walls
from even_step.core.slicing.ways import WaySettings

Limits: TypeAlias = tuple[float, float, float, float]

MESH: Given[Mesh] = Given("mesh", "solid")
TURN: Given[float] = Given("turn", "solid")
ONE_SHELL: Given[bool] = Given("one shell", "solid")
OVERHANG: Given[Limits] = Given("overhang limits", "solid")
LIE: Given[Lie] = Given("lie", "copy")
AT: Given[tuple[float, float]] = Given("place", "copy")


def _heights(it: Inputs) -> Heights:
    tall = float(it[MESH].bounds[1, 2])
    return fixed_heights(tall, it.record(HeightSettings)).over(it.record(RaftHeights).lift)


def _hanging(it: Inputs) -> Hanging:
    mesh = it[MESH]
    first = it.record(HangingSettings).first_top(float(mesh.bounds[1, 2]))
    return hanging(mesh, it[OVERHANG], first, it.crew, one_shell=it[ONE_SHELL])


def _contours(it: Inputs) -> Contours:
    mesh, heights = it[MESH], it[HEIGHTS]
    cuts = heights.cuts
    if len(cuts) and heights.tops[0] <= heights.thick[0]:
        # A part thinner than half a layer is not to be missed.
        cuts[0] = min(cuts[0], float(mesh.bounds[1, 2]) / 2)
    return contours(mesh, cuts, it.record(ContourSettings), it.crew)


def _regions(it: Inputs) -> Outlines:
    return outlines_of(it[CONTOURS], it.record(RegionSettings), it.crew)


def _walls(it: Inputs) -> Walls:
    return walls(it[REGIONS], it[HEIGHTS].thick, it.record(WallSettings), it.crew)


def _covers(it: Inputs) -> Covers:
    records = it.record(CoverSettings).turned(it[TURN]), it.record(BridgeSettings)
    return covers(it[REGIONS], it[WALLS], it[HEIGHTS], *records, it.crew)


def _infill(it: Inputs) -> tuple[Fill, ...]:
    return infill(it[WALLS], it[COVERS], it[HEIGHTS], it[LIE], it.record(InfillSettings), it.crew)


def _bare(filled: tuple[Fill, ...]) -> str:
    """Without any line it is all the same how infill would have been laid."""
    return "" if any(len(fill.lines.start) > 1 for fill in filled) else "bare"


def _order(it: Inputs) -> Blocks:
    fills = (*it[COVERS].fills, *it[INFILL], *it[COVERS].tops)
    return order_lines(it[REGIONS], it[WALLS], fills, it.record(OrderSettings), it.record(WaySettings), it.crew)


def _foot(it: Inputs) -> Foot:
    outlines = it[REGIONS]
    first = outlines.outline[outlines.which[:1]]
    records = it.record(BrimSettings), it.record(RaftHeights), it.record(RaftSettings), it.record(WaySettings)
    return lay_foot(first, it[HEIGHTS], *records, it.crew)


def _ledger(it: Inputs) -> Ledger:
    return ledger(it[REGIONS], it[COVERS], it[BLOCKS], it[HEIGHTS].thick, it.by_role(LedgerSettings), it.crew)


HEIGHTS = Stage("heights", "solid", _heights, (MESH,), (HeightSettings, RaftHeights))
HANGING = Stage("hanging", "solid", _hanging, (MESH, OVERHANG, ONE_SHELL), (HangingSettings,))
CONTOURS = Stage("contours", "solid", _contours, (MESH, HEIGHTS), (ContourSettings,))
REGIONS = Stage("regions", "solid", _regions, (CONTOURS,), (RegionSettings,))
FOOT = Stage("foot", "solid", _foot, (REGIONS, HEIGHTS), (BrimSettings, RaftHeights, RaftSettings, WaySettings))
WALLS = Stage("walls", "solid", _walls, (REGIONS, HEIGHTS), (WallSettings,))
COVERS = Stage("covers", "solid", _covers, (REGIONS, WALLS, HEIGHTS, TURN), (CoverSettings, BridgeSettings))
INFILL = Stage("infill", "copy", _infill, (WALLS, COVERS, HEIGHTS, LIE), (InfillSettings,), alike=_bare)
BLOCKS = Stage("order", "copy", _order, (REGIONS, WALLS, COVERS, INFILL), (OrderSettings, WaySettings))
LEDGER = Stage("ledger", "copy", _ledger, (REGIONS, COVERS, BLOCKS, HEIGHTS), by_role=(LedgerSettings,))

STAGES_OF_PARTS = (HEIGHTS, HANGING, CONTOURS, REGIONS, FOOT, WALLS, COVERS, INFILL, BLOCKS, LEDGER)
