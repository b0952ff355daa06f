"""The stages of solids from the mesh to the outlines of layers: heights, what hangs, contours, regions."""

from __future__ import annotations

import numpy as np

from even_step.core.graph import Given, Inputs, Stage
from even_step.core.job.step_curve import Knot
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.rounds import no_rounds, rounds_of
from even_step.core.overhang import Limits, limits_of
from even_step.core.slicing.contours import Contours, ContourSettings, contours
from even_step.core.slicing.foot.raft import RaftHeights
from even_step.core.slicing.hanging import Hanging, HangingSettings, hanging
from even_step.core.slicing.heights import Heights, HeightSettings, HeightSpan, fixed_heights, following_heights
from even_step.core.slicing.infill.infill import Stand
from even_step.core.slicing.islands import Islands, islands
from even_step.core.slicing.regions import Outlines, RegionSettings, closed_outlines, with_allowances
from even_step.core.slicing.supports.by_hand import ByHand
from even_step.core.slicing.surface import facets_of, surface_of
from even_step.core.slicing.true_size import FewSided, HoleSettings, picked_by_zone, with_few_sides
from even_step.core.slicing.vase import VaseOutline
from even_step.core.slicing.whole_layers import whole_layers
from even_step.core.slicing.zones import Footprints, ZoneShapes, footprints, snapped

MESH: Given[Mesh] = Given("mesh", "solid")
TURN: Given[float] = Given("turn", "solid")
ONE_SHELL: Given[bool] = Given("one shell", "solid")
OVERHANG: Given[Limits] = Given("overhang limits", "solid")
STANDS: Given[Stand] = Given("stands", "copy")
ZONES: Given[ZoneShapes] = Given("zones", "solid")
BY_HAND: Given[ByHand] = Given("by hand", "solid")
CURVE: Given[tuple[Knot, ...]] = Given("step curve", "solid")
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
    # What is drawn by hand overrides.
    spans = (*spans, *(HeightSpan(knot.low, knot.high, knot.height) for knot in it[CURVE]))
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
    if zoned.about and rounds.count:
        wanted = picked_by_zone(rounds, it[FOOTPRINTS], zoned.about, zoned.of)
    else:
        wanted = np.tile(plain.picks(rounds.hole), (len(cuts), 1))
    return with_few_sides(closed, cuts, rounds, wanted, it.crew)


def _regions(it: Inputs) -> Outlines:
    return it.record(VaseOutline).of(with_allowances(it[ROUNDED].outlines, it.record(RegionSettings), it.crew))


def _footprints(it: Inputs) -> Footprints:
    return footprints(it[ZONES], it[HEIGHTS], it.record(ContourSettings), it.crew)


def _islands(it: Inputs) -> Islands:
    return islands(it[REGIONS])


#: Made only with zones that want another height of layers.
SPANS = Stage(
    "heights", "solid", _spans, (MESH, ZONES), (HeightSettings, ContourSettings), by_zone=(HeightSettings,), alike=repr
)
HEIGHTS = Stage(
    "heights",
    "solid",
    _heights,
    (MESH, CURVE),
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
REGIONS = Stage("regions", "solid", _regions, (ROUNDED,), (RegionSettings, VaseOutline))
ISLANDS = Stage("islands", "solid", _islands, (REGIONS,))
