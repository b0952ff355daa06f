"""The number of each line by what it can be coloured by."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.motion.fan import A_PERCENT, path_fans
from even_step.core.pipeline import Sliced
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.zone_of_lines import zones_of_paths


def channels(sliced: Sliced) -> dict[str, NDArray[np.float32]]:
    """Return the number of each path by channel, (P,).

    Of materials it is that of the extruder, of parts that of the copy, of zones that of ``zones_of_paths``; roles stand
    with the points already.
    """
    path, plan = sliced.toolpath, sliced.plan
    speed = plan.speeds.feed / 60.0 * plan.pace[path.layer_of_path()]
    found = {
        "material": path.extruder,
        "part": path.part,
        "zone": zones_of_paths(sliced),
        "height": path.height,
        "width": path.width,
        "speed": speed,
        "flow": speed * plan.speeds.area,
        "fan": path_fans(path, sliced.fans) / A_PERCENT,
        "time": plan.layer_time[path.layer_of_path()],
        "overhang": 100.0 * (1.0 - path.held / ALL_HELD),
    }
    return {name: np.asarray(values, np.float32) for name, values in found.items()}
