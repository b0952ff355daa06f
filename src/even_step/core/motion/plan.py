"""Stage 11: how long everything takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Heating
from even_step.core.kernels import kernel
from even_step.core.motion.expand import expanded, expanding, layer_moves, moves_alike, moves_room
from even_step.core.motion.moves import EXTRUDE, Limits, durations, take_time
from even_step.core.motion.records import Records
from even_step.core.motion.speeds import LineSettings, MotionSettings, PathSpeeds, path_speeds
from even_step.core.toolpath.courses import SUPPORTS, Courses
from even_step.core.toolpath.roles import ROLES, TRAVEL
from even_step.core.toolpath.toolpath import Toolpath
from even_step.core.work import Crew, runs_of

ROOM_TEMPERATURE = 20.0
SLOWING_TRIES = 6


@dataclass(frozen=True, eq=False)
class MotionPlan:
    """Speeds and times of a toolpath.

    Attributes
    ----------
    speeds : PathSpeeds
        What each path is laid with.
    pace : (L,) float64
        How much of its speed each layer keeps, for its least time.
    layer_time : (L,) float64
        s.
    wanted : (L,) float64
        How long each layer is to take at least, s.
    path_time, way_time : (P,) float64
        How long each path is laid, and how long the way to it takes, s.
    volume : (P,) float64
        Plastic of each path, mm³.
    """

    speeds: PathSpeeds
    pace: NDArray[np.float64]
    layer_time: NDArray[np.float64]
    wanted: NDArray[np.float64]
    path_time: NDArray[np.float64]
    way_time: NDArray[np.float64]
    volume: NDArray[np.float64]

    @property
    def total(self) -> float:
        """Printing time without heating up, s."""
        return float(self.layer_time.sum())


def retractions(toolpath: Toolpath, speeds: PathSpeeds, settings: MotionSettings) -> int:
    """Return how often filament is drawn back: before ways that ask for it, before changes of extruder, at the end."""
    changes = speeds.changes[1:] > 0
    back = int((toolpath.retract[1:] & ~changes).sum()) if settings.retract_length > 0.0 else 0
    swaps = int(changes.sum()) if settings.change_retract > 0.0 else 0
    return back + swaps + (settings.retract_length > 0.0 and len(toolpath.role) > 0)


def plan_motion(
    toolpath: Toolpath, lines: Records[LineSettings], settings: MotionSettings, limits: Limits, crew: Crew
) -> MotionPlan:
    """Time every move of a toolpath; layers that would be done too soon are slowed down.

    Layers begin and end at rest, for filament is drawn back in between. Layers that repeat others take as long.
    """
    lengths = toolpath.lengths()
    speeds = path_speeds(toolpath, lengths, lines, settings)
    volume = toolpath.filled_lengths() * speeds.area
    count = len(toolpath.role)
    path_time, way_time = np.zeros(count), np.zeros(count)
    pace, layer_time = np.ones(toolpath.layers), np.zeros(toolpath.layers)

    alike = moves_alike(toolpath, settings)
    own = alike == np.arange(toolpath.layers)

    how, bounds = expanding(toolpath, speeds, settings), (limits.speed, limits.acceleration, limits.junction)

    def plan(first: int, last: int) -> None:
        some = first + np.flatnonzero(own[first:last])
        layer_time[some] = _timed(how, bounds, some, pace, path_time, way_time, settings.change_time)

    def slow(first: int, last: int) -> None:
        for layer in (first + np.flatnonzero(slowed[first:last])).tolist():
            a, b = int(toolpath.layer[layer]), int(toolpath.layer[layer + 1])
            changing = float((speeds.changes[a:b] > 0).sum()) * settings.change_time  # whatever the pace
            took = float(layer_time[layer]) - changing
            asked = _Slowing(float(wanted[layer]) - changing, took, float(path_time[a:b].sum()))
            pace[layer] = _pace(toolpath, speeds, settings, limits, layer, asked)
        some = first + np.flatnonzero(slowed[first:last])
        layer_time[some] = _timed(how, bounds, some, pace, path_time, way_time, settings.change_time)

    def repeat(layers: NDArray[np.int64]) -> None:
        for layer in layers:
            model = alike[layer]
            pace[layer], layer_time[layer] = pace[model], layer_time[model]
            (a, b), (c, d) = toolpath.layer[layer : layer + 2], toolpath.layer[model : model + 2]
            path_time[a:b], way_time[a:b] = path_time[c:d], way_time[c:d]

    points = toolpath.start[toolpath.layer[1:]] - toolpath.start[toolpath.layer[:-1]]
    crew.each(plan, runs_of(points * own, most=200_000))
    repeat(np.flatnonzero(~own))
    wanted = _least_times(toolpath.courses, lines, layer_time)
    own |= wanted != wanted[alike]
    laying = np.add.reduceat(np.append(path_time, 0.0), toolpath.layer[:-1]) * (np.diff(toolpath.layer) > 0)
    slowed = own & (wanted - layer_time > 0.01 * wanted) & (laying > 0.0)
    crew.each(slow, runs_of(points * slowed, most=200_000))
    repeat(np.flatnonzero(~own))
    return MotionPlan(speeds, pace, layer_time, wanted, path_time, way_time, volume)


def _least_times(
    courses: Courses, lines: Records[LineSettings], layer_time: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Return how long each layer of the bed is to take at least, (L,), s.

    A part's layer grows firm until the next one of the same part begins: what is laid of other parts or of supports in
    between counts, as long as it takes itself. One thinner than the part's usual layers brings less heat, and is given
    less time in proportion.
    """
    firm = courses.source != SUPPORTS
    of_course = np.array([rows[0][0] for rows in lines.of_part], np.int64)[courses.part]
    share = np.minimum(courses.thick / lines.each("usual_height", of_course), 1.0)
    least = lines.each("least_layer_time", of_course) * share
    begins = courses.begins()
    next_of: dict[int, int] = {}
    wanted, until = np.zeros(len(layer_time)), np.zeros(len(layer_time) + 1)
    for k in range(len(layer_time) - 1, -1, -1):
        here = begins[k] + np.flatnonzero(firm[begins[k] : begins[k + 1]])
        for c in here.tolist():
            after = next_of.get(int(courses.part[c]), k + 1)
            others = until[k + 1] - until[after]
            wanted[k] = max(wanted[k], least[c] - others)
        next_of |= dict.fromkeys(courses.part[here].tolist(), k)
        until[k] = until[k + 1] + max(layer_time[k], wanted[k])
    return wanted


class _Slowing(NamedTuple):
    """How long the moves of a layer are to take, how long at full speed, and how much of that something is laid; s."""

    wanted: float
    took: float
    laying: float


def _pace(
    toolpath: Toolpath, speeds: PathSpeeds, settings: MotionSettings, limits: Limits, layer: int, asked: _Slowing
) -> float:
    """Find the pace at which a layer takes the time wanted, or the slowest allowed."""
    pace, laying, before = 1.0, asked.laying, asked.took
    for _ in range(SLOWING_TRIES):
        pace *= laying / (laying + asked.wanted - before)
        moves = layer_moves(toolpath, speeds, settings, layer, pace)
        took = durations(moves, limits)
        total, laying = float(took.sum()), float(took[moves.kind == EXTRUDE].sum())
        if total <= before + 1e-9 or asked.wanted - total <= 0.01 * asked.wanted or pace <= 1e-3:
            break
        before = total
    return pace


@kernel
def _timed(how, limits, layers, pace, path_time, way_time, change_time):  # type: ignore[no-untyped-def]
    """Return how long some layers take at their pace, s; puts down how long each of their paths and the ways take."""
    of_layer, changes = how[0][2], how[2][1]
    speed, acceleration, junction = limits
    out = np.zeros(layers.shape[0])
    for n in range(layers.shape[0]):
        layer = layers[n]
        kind, to, rest, path = moves_room(how, layer)
        start, count = expanded(how, layer, pace[layer], kind, to, rest, path)
        took = np.zeros(count)
        take_time(
            start, to[:count], rest[0, :count], rest[1, :count], rest[2, :count], speed, acceleration, junction, took
        )
        for p in range(of_layer[layer], of_layer[layer + 1]):
            path_time[p] = 0.0
            way_time[p] = change_time if changes[p] > 0 else 0.0
            out[n] += way_time[p]
        for m in range(count):
            out[n] += took[m]
            if kind[m] == EXTRUDE:
                path_time[path[m]] += took[m]
            else:
                way_time[path[m]] += took[m]
    return out


def time_by_role(toolpath: Toolpath, plan: MotionPlan) -> dict[str, float]:
    """Return the time of each role that occurs, s; all ways count as travel."""
    totals = np.bincount(toolpath.role, plan.path_time, len(ROLES))
    totals[TRAVEL] = plan.way_time.sum()
    return {name: float(total) for name, total in zip(ROLES, totals, strict=True) if total > 0}


def volume_by_role(toolpath: Toolpath, plan: MotionPlan) -> dict[str, float]:
    """Return the plastic of each role that occurs, mm³."""
    totals = np.bincount(toolpath.role, plan.volume, len(ROLES))
    return {name: float(total) for name, total in zip(ROLES, totals, strict=True) if total > 0}


def heat_up_time(heating: Heating, nozzle: float, bed: float) -> float:
    """Return how long nozzle and bed take from room temperature, both at once, s."""
    return max((nozzle - ROOM_TEMPERATURE) / heating.nozzle_rate, (bed - ROOM_TEMPERATURE) / heating.bed_rate, 0.0)
