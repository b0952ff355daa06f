"""How hot the nozzle is in layers that lie wholly in zones which say so."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import heat
from even_step.core.motion.records import Records
from even_step.core.toolpath.roles import OF_PARTS
from even_step.core.toolpath.toolpath import Toolpath


@dataclass(frozen=True)
class HeatSettings:
    """How hot the nozzle is after the first layer, °C."""

    nozzle: Annotated[float, heat.NOZZLE]


def heats_of_zones(toolpath: Toolpath, records: Records[HeatSettings]) -> NDArray[np.float64]:
    """Return how hot the nozzle is in each layer of the bed where zones say so, (L,), °C; NaN where they do not.

    A nozzle cannot change its heat within a layer: zones are heard where all lines of parts in a layer lie in such as
    say the same, and one extruder lays it.
    """
    out = np.full(toolpath.layers, np.nan)
    if not toolpath.record.any():
        return out
    wanted = records.each("nozzle", records.of_paths(toolpath))
    of_parts = np.isin(toolpath.role, OF_PARTS)
    for layer in range(toolpath.layers):
        here = slice(int(toolpath.layer[layer]), int(toolpath.layer[layer + 1]))
        mine = of_parts[here]
        own = np.unique(wanted[here][mine])
        alone = len(own) == 1 and np.ptp(toolpath.extruder[here]) == 0
        if alone and (toolpath.record[here][mine] > 0).all():
            out[layer] = own[0]
    return out
