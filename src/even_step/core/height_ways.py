"""Three ways to choose layer heights, to be compared: all coarse, all fine, and following the surface between."""

from __future__ import annotations

from collections.abc import Mapping

from even_step.core.catalogue import layers
from even_step.core.catalogue.setting import Value
from even_step.core.job.cascade import tools_of
from even_step.core.job.model import Machine

COARSE = 0.75  # bores, where no thickest layer is set
FINE = 0.5  # of the layer height, where no thinnest is set


def height_ways(values: Mapping[str, Value], machine: Machine) -> tuple[dict[str, Value], ...]:
    """Return the settings of each way, from what holds for a job."""
    nozzle = machine.extruders[tools_of(values)["walls"]]
    least, most = nozzle.layer_height
    coarse = float(values[layers.MOST.key]) or round(min(most, COARSE * nozzle.bore), 2)
    fine = float(values[layers.LEAST.key]) or round(max(least, FINE * float(values[layers.HEIGHT.key])), 2)
    follow = layers.FOLLOW_SURFACE.key
    return (
        {follow: False, layers.HEIGHT.key: coarse},
        {follow: False, layers.HEIGHT.key: fine},
        {follow: True, layers.LEAST.key: fine, layers.MOST.key: coarse},
    )
