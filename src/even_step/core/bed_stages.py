"""The stages of a bed: all its parts put in order, and how long that takes."""

from __future__ import annotations

import numpy as np

from even_step.core.graph import Given, Inputs, Stage
from even_step.core.job.model import Head, MotionLimits
from even_step.core.motion.moves import Limits
from even_step.core.motion.plan import MotionPlan, plan_motion
from even_step.core.motion.speeds import LineSettings, MotionSettings
from even_step.core.plane import region
from even_step.core.slicing.assembly import Placed, TravelSettings, assemble, visiting_order
from even_step.core.slicing.clearance import safe_sequence, struck
from even_step.core.slicing.courses import PartOrder, by_top, in_sequence, one_by_one
from even_step.core.slicing.skirt import Skirt, SkirtSettings, lay_skirt
from even_step.core.solid_stages import AT, BLOCKS, HEIGHTS, MESH, REGIONS
from even_step.core.toolpath.courses import Courses
from even_step.core.toolpath.toolpath import Toolpath

PLANNER: Given[MotionLimits] = Given("planner", "bed")
HEAD: Given[Head] = Given("head", "bed")
WISHED: Given[tuple[int, ...]] = Given("wished order", "bed")  # the place of each copy, as far as somebody said it
PASSES_OVER = 2.0  # mm, of the nozzle over what stands, on its way to the next part


def _skirt(it: Inputs) -> Skirt:
    feet = [
        region.shifted(outlines.outline[outlines.which[0]], *at)
        for outlines, at in zip(it.each(REGIONS), it.each(AT), strict=True)
    ]
    lowest = min(float(heights.top[0]) for heights in it.each(HEIGHTS))
    return lay_skirt(feet, lowest, it.record(SkirtSettings))


def _courses(it: Inputs) -> Courses:
    heights, places = it.each(HEIGHTS), np.array(it.each(AT))
    way = visiting_order(places)
    if it.record(PartOrder).parts == "together":
        return by_top(heights, way)
    hulls = [
        region.hull_corners(mesh.vertices[:, :2]) + at for mesh, at in zip(it.each(MESH), it.each(AT), strict=True)
    ]
    tall = np.array([one.top[-1] for one in heights])
    strikes = struck(hulls, tall, it[HEAD])
    return one_by_one(heights, in_sequence(it[WISHED], safe_sequence(strikes, tall, way)), PASSES_OVER, strikes)


def _toolpath(it: Inputs) -> Toolpath:
    standing = [Placed(blocks, at, i) for i, (blocks, at) in enumerate(zip(it.each(BLOCKS), it.each(AT), strict=True))]
    return assemble(standing, it[SKIRT], it[COURSES], it.record(TravelSettings), it.crew)


def _motion(it: Inputs) -> MotionPlan:
    limits = Limits.of(it[PLANNER])
    return plan_motion(it[TOOLPATH], it.records(LineSettings), it.record(MotionSettings), limits, it.crew)


SKIRT = Stage("foot", "bed", _skirt, (REGIONS, AT, HEIGHTS), (SkirtSettings,))
COURSES = Stage("courses", "bed", _courses, (HEIGHTS, AT, MESH, HEAD, WISHED), (PartOrder,))
TOOLPATH = Stage("order", "bed", _toolpath, (BLOCKS, AT, SKIRT, COURSES), (TravelSettings,))
MOTION = Stage("motion", "bed", _motion, (TOOLPATH, PLANNER), (MotionSettings,), own=(LineSettings,))

STAGES_OF_BED = (SKIRT, COURSES, TOOLPATH, MOTION)
