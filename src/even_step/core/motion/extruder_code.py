"""What G-code says at changes of extruder: which takes over, how hot it is, and how hot the others wait."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.cascade import Resolved, bed_heat
from even_step.core.job.model import Machine
from even_step.core.motion.own_code import own_code
from even_step.core.motion.plan import MotionPlan
from even_step.core.toolpath.toolpath import Toolpath


class ExtruderCode:
    """The texts that stand before paths, by path; none where one extruder lays everything.

    A nozzle that waits long enough cools to its idle heat and is warmed again ahead of its turn, by the estimate; one
    that is not wanted any more is turned off.
    """

    def __init__(
        self,
        machine: Machine,
        tables: tuple[Resolved, ...],
        toolpath: Toolpath,
        plan: MotionPlan,
        heats: NDArray[np.float64],
    ) -> None:
        """``heats`` (L,) are those of layers in zones that ask for their own, °C, NaN elsewhere."""
        self._machine, self._tables = machine, tables
        self._toolpath = toolpath
        self.used = toolpath.extruders
        self.first = int(toolpath.extruder[0]) if len(toolpath.extruder) else 0
        self.heats = {number: _heats(toolpath, tables[number], heats, number) for number in self.used or [0]}
        self._before: dict[int, list[str]] = defaultdict(list)
        if len(self.used) > 1:
            self._say(plan)
        self.before = {path: "".join(f"{one}\n" for one in said).encode() for path, said in self._before.items()}

    @property
    def table(self) -> Resolved:
        """What holds with the extruder that begins, and of the bed for all that are used."""
        begins = self._tables[self.first]
        warm = bed_heat(self._tables[number] for number in self.used or [0])
        return replace(begins, values={**begins.values, "heat.bed": warm})

    def head(self) -> str:
        """Return what is said once all is hot: how hot the others wait, and who begins."""
        if len(self._machine.extruders) < 2:
            return ""
        others = [number for number in self.used if number != self.first]
        return "".join(f"M104 T{number} S{self._idle(number):g}\n" for number in others) + f"T{self.first}\n"

    def _idle(self, number: int) -> float:
        return float(self._tables[number].values["heat.idle_nozzle"])

    def _hot(self, number: int, layer: int) -> float:
        return float(self.heats[number][layer])

    def _say(self, plan: MotionPlan) -> None:
        """Write down what is said before which path."""
        path = self._toolpath
        begins = np.cumsum(plan.way_time + plan.path_time) - plan.path_time - plan.way_time
        layer = path.layer_of_path()
        swaps = np.flatnonzero(plan.speeds.changes).tolist()
        rate = self._machine.heating.nozzle_rate
        left: dict[int, int] = {}  # the path before which an extruder was put down
        for swap in swaps:
            old, new = int(path.extruder[swap - 1]), int(path.extruder[swap])
            warm = max(self._hot(new, int(layer[swap])) - self._idle(new), 0.0) / rate
            since = left.get(new)
            waits = since is None or begins[swap] - begins[since] > 2 * warm
            if since is not None and waits:
                self._before[since].append(f"M104 T{new} S{self._idle(new):g}")
            ahead = max(int(np.searchsorted(begins, begins[swap] - warm)), since or 0)
            if waits and ahead < swap:
                self._before[ahead].append(f"M104 T{new} S{self._hot(new, int(layer[swap])):g}")
            self._before[swap] = [*self._change(new, int(layer[swap])), *self._before[swap]]
            left[old] = swap
            left.pop(new, None)
        for number, since in left.items():
            self._before[since].append(f"M104 T{number} S0")

    def _change(self, new: int, layer: int) -> list[str]:
        own = own_code(self._machine.change, self._tables[new]).rstrip("\n")
        return [
            f";es extruder={new + 1}",
            f"T{new}",
            *([";es start", own, ";es end"] if own else []),
            f"M109 T{new} S{self._hot(new, layer):g}",
        ]


def _heats(toolpath: Toolpath, table: Resolved, heats: NDArray[np.float64], number: int) -> list[float]:
    """Return how hot a nozzle is in each layer: as for first layers until the last part has its own, °C.

    After that as zones say in layers that it lays alone.
    """
    courses = toolpath.courses
    turn = np.cumsum(courses.clear > 0)  # parts that are laid one by one each begin anew
    last = np.full(int(turn.max(initial=0)) + 1, -1)
    firsts = courses.layer[courses.on_bed()]
    np.maximum.at(last, turn[firsts], firsts)
    first = np.arange(len(turn)) <= last[turn]
    out = np.where(first, float(table.values["heat.first_nozzle"]), float(table.values["heat.nozzle"]))
    begins = np.minimum(toolpath.layer[:-1], max(len(toolpath.extruder) - 1, 0))
    mine = ~first & ~np.isnan(heats)
    if mine.any():
        mine &= toolpath.extruder[begins] == number
        out[mine] = heats[mine]
    return [float(value) for value in out]
