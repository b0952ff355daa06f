"""What a pose costs, found as slicing would find it but without slicing all of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_step.core.catalogue.setting import take
from even_step.core.job.cascade import Resolved, tools_of
from even_step.core.job.model import Machine
from even_step.core.mesh.mesh import Mesh
from even_step.core.overhang import limits_of
from even_step.core.plane import region
from even_step.core.slicing.contours import ContourSettings, contours
from even_step.core.slicing.hanging import HangingSettings, hanging
from even_step.core.slicing.regions import RegionSettings, outlines_of
from even_step.core.work import Crew


@dataclass(frozen=True)
class PoseFigures:
    """What hangs past the machine's limit and what rests on the bed, mm²; the height, mm."""

    hanging: float
    contact: float
    height: float


def pose_figures(mesh: Mesh, resolved: Resolved, machine: Machine) -> PoseFigures:
    """Measure a posed mesh; the areas equal those that a report of this part alone tells.

    Parameters
    ----------
    mesh
        Standing on z = 0, mm.
    resolved, machine
        What the first layer and the limit follow from.
    """
    crew = Crew(1)
    tall = float(mesh.bounds[1, 2])
    extruder = min(tools_of(resolved.values)["walls"], len(machine.extruders) - 1)  # it may not be there yet
    limits = machine.extruders[extruder].layer_height
    own = take(HangingSettings, resolved.values, nozzle_least=limits[0])
    first = own.first_top(tall)
    hangs = hanging(mesh, limits_of(own.angle, machine.overhang_limit), first, crew).total
    cuts = np.array([min(first, tall) / 2])
    cut = contours(mesh, cuts, take(ContourSettings, resolved.values), crew)
    outlines = outlines_of(cut, take(RegionSettings, resolved.values), crew)
    return PoseFigures(hangs, float(region.area(outlines.outline[outlines.which[:1]]).sum()), tall)
