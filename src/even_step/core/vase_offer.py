"""What goes well with vase mode, and why: one line alone has to hold, and nothing waits for it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from even_step.core.catalogue.setting import Value
from even_step.core.job.cascade import tools_of
from even_step.core.job.model import Job
from even_step.core.plane.bead import section_area

WIDER = 2.0  # bores
HIGHER = 0.75  # bores
WARMER = 10.0  # °C
MELT = 0.7  # of what the nozzle melts: a line without a rest is to be even
STEP = 0.02  # mm
LEAST_SPEED = 10.0  # mm/s


class Offer(NamedTuple):
    """A setting, the value that goes with a vase, and the reason."""

    key: str
    value: Value
    reason: str


def goes_with_vase(job: Job, values: Mapping[str, Value]) -> tuple[Offer, ...]:
    """Return what would go better with a vase than some values that hold, with the machine and material in use."""
    extruder = tools_of(values)["walls"]
    nozzle, material, machine = job.machine.extruders[extruder], job.materials[extruder], job.machine
    offered = []
    width, height = float(values["walls.outer_line_width"]), float(values["layers.height"])
    wide = max(width, min(round(WIDER * nozzle.bore, 2), nozzle.line_width[1]))
    if wide > width:
        offered.append(Offer("walls.outer_line_width", wide, "wider: this one line is all that holds"))
    high = min(nozzle.layer_height[1], math.floor(HIGHER * nozzle.bore / STEP + 1e-9) * STEP)
    high = max(height, round(high, 2))
    if high > height and not values["layers.follow_surface"]:
        offered.append(Offer("layers.height", high, "higher: fewer turns, and each binds over more width"))
    heat = float(values["heat.nozzle"])
    warm = min(float(material.settings.get("heat.nozzle", heat)) + WARMER, machine.heating.nozzle_limit)
    if warm > heat:
        offered.append(Offer("heat.nozzle", warm, "warmer: more plastic melts at once, and turns fuse"))
    speed = float(values["motion.outer_wall_speed"])
    slow = max(LEAST_SPEED, math.floor(MELT * material.flow_limit / float(section_area(wide, high))))
    if slow < speed:
        offered.append(Offer("motion.outer_wall_speed", slow, "slower: an even flow that never runs short"))
    if sum(len(part.copies) for part in job.parts) > 1 and values["order.parts"] == "together":
        offered.append(Offer("order.parts", "one-by-one", "one by one: nothing is laid between the turns"))
    return tuple(offered)
