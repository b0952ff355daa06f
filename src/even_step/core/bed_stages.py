"""The stages of a bed: all its parts put in order, and how long that takes."""

from __future__ import annotations

import numpy as np

from even_step.core.graph import Given, Inputs, Stage
from even_step.core.job.model import Head, MotionLimits
from even_step.core.layout.nest import Ground
from even_step.core.layout.shadow import shadow_of
from even_step.core.line_stages import BLOCKS
from even_step.core.motion.moves import Limits
from even_step.core.motion.plan import MotionPlan, plan_motion
from even_step.core.motion.speeds import LineSettings, MotionSettings
from even_step.core.outline_stages import AT, HEIGHTS, MESH, REGIONS
from even_step.core.plane import region
from even_step.core.plane.region import Regions
from even_step.core.slicing.assembly import Placed, TravelSettings, assemble, visiting_order, with_retraction
from even_step.core.slicing.changes import LaidBy, Turns, take_turns
from even_step.core.slicing.clearance import safe_sequence, struck
from even_step.core.slicing.courses import PartOrder, Pile, Stack, by_top, in_sequence, one_by_one, pile_of
from even_step.core.slicing.foot.brim import BrimSettings
from even_step.core.slicing.foot.foot import kept_apart
from even_step.core.slicing.foot.skirt import Skirt, SkirtSettings, lay_skirt
from even_step.core.slicing.ordering import Blocks
from even_step.core.slicing.supports.body import BodySettings
from even_step.core.slicing.supports.lines import Supports
from even_step.core.slicing.tower import Tower, TowerSettings, build_tower, tower_place
from even_step.core.support_stages import FOOT, SUPPORTS
from even_step.core.toolpath.courses import Courses
from even_step.core.toolpath.toolpath import Toolpath

PLANNER: Given[MotionLimits] = Given("planner", "bed")
HEAD: Given[Head] = Given("head", "bed")
WISHED: Given[tuple[int, ...]] = Given("wished order", "bed")  # the place of each copy, as far as somebody said it
PURGED: Given[dict[tuple[int, int], float]] = Given("purged", "bed")  # mm³, by the extruders before and after
TOWER_WISH: Given[tuple[float, float] | None] = Given("tower", "bed")
GROUND: Given[Ground] = Given("ground", "bed")
PASSES_OVER = 2.0  # mm, of the nozzle over what stands, on its way to the next part


def _first_layers(it: Inputs) -> list[Regions]:
    return [one.outline[one.which[:1]] for one in it.each(REGIONS)]


def _feet(it: Inputs) -> list[Blocks]:
    gaps = [copy.gap for copy in it.records(BrimSettings).of_each()]
    feet = it.each(FOOT)
    stands = [region.union(first, one.ground) for first, one in zip(_first_layers(it), it.each(SUPPORTS), strict=True)]
    return kept_apart([foot.blocks for foot in feet], [foot.ground for foot in feet], stands, it.each(AT), gaps)


def _columns(it: Inputs) -> list[Blocks]:
    """Nothing under one part may stand on another or under it."""
    gaps = [copy.gap_beside for copy in it.records(BodySettings).of_each()]
    laid = it.each(SUPPORTS)
    shadows = _beside(it) if _any(laid) else _first_layers(it)
    return kept_apart([one.blocks for one in laid], [one.ground for one in laid], shadows, it.each(AT), gaps)


def _beside(it: Inputs) -> list[Regions]:
    """Return what each copy covers, and nothing of one that no other's supports come near."""
    meshes, places = it.each(MESH), it.each(AT)
    grounds = region.nothing(len(meshes))
    grounds[:] = [region.shifted(one.ground[0], *at) for one, at in zip(it.each(SUPPORTS), places, strict=True)]
    covers = [region.nothing(1) for _ in meshes]
    # A shadow may be larger than what casts it, by less than that.
    grown = region.offset_round(grounds, 1.0)
    for i, (mesh, at) in enumerate(zip(meshes, places, strict=True)):
        box = region.shifted(region.rectangle(*mesh.bounds[:, :2].ravel()), *at)
        near = region.touches(np.full(len(grown), box, object), grown)
        if np.delete(near, i).any():
            covers[i][0] = shadow_of(mesh).shape
    return covers


def _any(laid: list[Supports]) -> bool:
    return not all(one.are_none for one in laid)


def _grounds(it: Inputs) -> list[tuple[Regions, Regions]]:
    """Return what foot and supports of each copy cover of the bed."""
    return [(foot.ground, one.ground) for foot, one in zip(it.each(FOOT), it.each(SUPPORTS), strict=True)]


def _skirt(it: Inputs) -> Skirt:
    feet = [
        region.shifted(one, *at)
        for grounds in (_first_layers(it), *zip(*_grounds(it), strict=True))
        for ground, at in zip(grounds, it.each(AT), strict=True)
        for one in ground
    ]
    feet += list(tower_shape(it[TOWER], it[TOWER_AT]))
    lowest = min(float(pile.top[0]) for pile in _piles(it))
    return lay_skirt(feet, lowest, it.record(SkirtSettings))


def _piles(it: Inputs) -> list[Pile]:
    return [
        pile_of(
            Stack(foot.top, foot.thick, foot.number),
            Stack(held.top, held.thick, held.number),
            Stack(own.top, own.thick, np.arange(len(own.top))),
        )
        for foot, held, own in zip(it.each(FOOT), it.each(SUPPORTS), it.each(HEIGHTS), strict=True)
    ]


def _courses(it: Inputs) -> Courses:
    piles, places = _piles(it), np.array(it.each(AT))
    way = visiting_order(places)
    if it.record(PartOrder).parts == "together":
        return by_top(piles, way)
    hulls = [
        region.hull_corners(np.concatenate((mesh.vertices[:, :2], *(region.rings(one).xy for one in grounds)))) + at
        for mesh, grounds, at in zip(it.each(MESH), _grounds(it), it.each(AT), strict=True)
    ]
    tall = np.array([pile.top[-1] for pile in piles])
    strikes = struck(hulls, tall, it[HEAD])
    return one_by_one(piles, in_sequence(it[WISHED], safe_sequence(strikes, tall, way)), PASSES_OVER, strikes)


def _turns(it: Inputs) -> Turns:
    feet, columns = it[FEET], it[STANDING]
    blocks = list(zip(feet, columns, it.each(BLOCKS), strict=True))
    laid_by = it.records(LaidBy, _zones(it)).of_zones()
    return take_turns(it[COURSES], blocks, [np.stack([one.of_role() for one in some]) for some in laid_by])


def _zones(it: Inputs) -> list[tuple[tuple[int, ...], ...]]:
    """Return what the numbers of zones stand for in each copy."""
    return [one.zones for one in it.each(BLOCKS)]


def _tower(it: Inputs) -> Tower:
    turns, settings, purged = it[TURNS], it.record(TowerSettings), it[PURGED]
    volumes = [(layer, purged.get((before, after), settings.volume)) for layer, before, after in turns.changes()]
    return build_tower(it[COURSES], volumes, settings)


def _no_tower(tower: Tower) -> str:
    """Without a tower it is all the same for what."""
    return "" if tower.side else "none"


def _tower_at(it: Inputs) -> tuple[float, float]:
    side, wished = it[TOWER].side, it[TOWER_WISH]
    if side == 0.0 or wished:
        return wished or (0.0, 0.0)
    shapes = [
        [shadow_of(mesh).shape, *(ground[0] for ground in grounds)]
        for mesh, grounds in zip(it.each(MESH), _grounds(it), strict=True)
    ]
    taken = [region.shifted(one, *at) for some, at in zip(shapes, it.each(AT), strict=True) for one in some]
    return tower_place(side, it[GROUND], taken)


def tower_shape(tower: Tower, at: tuple[float, float]) -> Regions:
    """Return what a tower covers of the bed, (1,); nothing where there is none."""
    half = tower.side / 2
    square = region.rectangle(at[0] - half, at[1] - half, at[0] + half, at[1] + half)
    return np.array([square], object) if half else region.nothing(1)


def _toolpath(it: Inputs) -> Toolpath:
    feet, columns = it[FEET], it[STANDING]
    laid = zip(feet, columns, it.each(BLOCKS), strict=True)
    standing = [Placed(blocks, at) for blocks, at in zip(laid, it.each(AT), strict=True)]
    path = assemble(standing, it[TURNS], it[TOWER], it[TOWER_AT], it[SKIRT], it[COURSES], it.crew)
    return with_retraction(path, it.record(TravelSettings))


def _motion(it: Inputs) -> MotionPlan:
    limits = Limits.of(it[PLANNER])
    return plan_motion(it[TOOLPATH], it.records(LineSettings, _zones(it)), it.record(MotionSettings), limits, it.crew)


FEET = Stage("foot", "bed", _feet, (REGIONS, FOOT, SUPPORTS, AT), own=(BrimSettings,))
STANDING = Stage("supports", "bed", _columns, (REGIONS, SUPPORTS, MESH, AT), own=(BodySettings,))
COURSES = Stage("courses", "bed", _courses, (FOOT, SUPPORTS, HEIGHTS, AT, MESH, HEAD, WISHED), (PartOrder,))
TURNS = Stage("order", "bed", _turns, (FEET, STANDING, BLOCKS, COURSES), own=(LaidBy,))
TOWER = Stage("purge", "bed", _tower, (TURNS, COURSES, PURGED), (TowerSettings,), alike=_no_tower)
TOWER_AT = Stage("purge", "bed", _tower_at, (TOWER, MESH, AT, FOOT, SUPPORTS, TOWER_WISH, GROUND), alike=repr)
SKIRT = Stage("foot", "bed", _skirt, (REGIONS, FOOT, SUPPORTS, AT, HEIGHTS, TOWER, TOWER_AT), (SkirtSettings,))
TOOLPATH = Stage(
    "order", "bed", _toolpath, (FEET, STANDING, BLOCKS, AT, TURNS, TOWER, TOWER_AT, SKIRT, COURSES), (TravelSettings,)
)
MOTION = Stage("motion", "bed", _motion, (TOOLPATH, BLOCKS, PLANNER), (MotionSettings,), own=(LineSettings,))

STAGES_OF_BED = (FEET, STANDING, COURSES, TURNS, TOWER, TOWER_AT, SKIRT, TOOLPATH, MOTION)
