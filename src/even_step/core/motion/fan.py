"""How fast the fan that cools the part turns while each path is laid."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges, hanging, heat, support_lines
from even_step.core.motion.records import Records
from even_step.core.motion.speeds import toward_bridge
from even_step.core.toolpath.roles import TABLE
from even_step.core.toolpath.toolpath import Toolpath

A_PERCENT = 2.55  # of the 255 steps that firmware knows


@dataclass(frozen=True)
class FanSettings:
    """Percent; the number of the first layer that is cooled, from 0."""

    fan: Annotated[float, heat.FAN]
    from_layer: Annotated[int, heat.FAN_FROM_LAYER]
    bridge_fan: Annotated[float, bridges.FAN]
    hangs_from: Annotated[float, hanging.FROM]
    contact_fan: Annotated[float, support_lines.CONTACT_FAN]


def path_fans(toolpath: Toolpath, records: Records[FanSettings]) -> NDArray[np.int64]:
    """Return how fast the fan turns on each path, 0 to 255, (P,)."""
    record = records.of_paths(toolpath)
    lowest = np.append(toolpath.courses.lowest(), 0)[toolpath.part]
    over_raft = (toolpath.own >= 0) & (lowest < 0)  # it is to come off again
    cooled = over_raft | (toolpath.own - lowest >= records.each("from_layer", record))
    share = np.where(cooled, records.each("fan", record), 0.0)
    for number, role in enumerate(TABLE):
        if role.fan != "fan":
            share = np.where(toolpath.role == number, records.each(role.fan, record), share)
    over_air = np.where(cooled, records.each("bridge_fan", record), 0.0)
    share = toward_bridge(share, over_air, toolpath, records.each("hangs_from", record))
    return np.round(share * A_PERCENT).astype(np.int64)
