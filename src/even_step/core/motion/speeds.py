"""What speed, acceleration, flow and lift each path gets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges, foot, heat, motion, travel
from even_step.core.motion.records import Records
from even_step.core.plane.bead import line_section, strand_section
from even_step.core.toolpath.roles import BOTTOM, BRIDGE, INNER_WALL, OUTER_WALL, SKIRT, TOP
from even_step.core.toolpath.toolpath import Toolpath


@dataclass(frozen=True)
class LineSettings:
    """What lines are laid with: speeds (mm/s), accelerations (mm/s²), flow (%); the longest small loop, mm.

    ``least_layer_time`` passes, in s, before the next of a part's layers begins.
    """

    print_speed: Annotated[float, motion.PRINT_SPEED]
    outer_speed: Annotated[float, motion.OUTER_SPEED]
    cover_speed: Annotated[float, motion.COVER_SPEED]
    first_speed: Annotated[float, motion.FIRST_SPEED]
    small_speed: Annotated[float, motion.SMALL_SPEED]
    small_loop: Annotated[float, motion.SMALL_LOOP]
    print_acceleration: Annotated[float, motion.PRINT_ACCELERATION]
    outer_acceleration: Annotated[float, motion.OUTER_ACCELERATION]
    flow: Annotated[float, travel.FLOW]
    first_flow: Annotated[float, travel.FIRST_FLOW]
    bridge_speed: Annotated[float, bridges.SPEED]
    bridge_flow: Annotated[float, bridges.FLOW]
    over_raft_speed: Annotated[float, foot.OVER_RAFT_SPEED]
    least_layer_time: Annotated[float, heat.LEAST_LAYER_TIME]


@dataclass(frozen=True)
class MotionSettings:
    """How the machine moves, whatever it lays: speeds (mm/s), retraction (mm).

    ``melt_limit`` is the material's, mm³/s; ``bore`` the nozzle's, ``filament`` its diameter and ``highest`` the top of
    the build volume, mm.
    """

    travel_speed: Annotated[float, motion.TRAVEL_SPEED]
    travel_acceleration: Annotated[float, motion.TRAVEL_ACCELERATION]
    retract_length: Annotated[float, travel.RETRACT_LENGTH]
    retract_speed: Annotated[float, travel.RETRACT_SPEED]
    lift: Annotated[float, travel.LIFT]
    wipe: Annotated[float, travel.WIPE]
    least_speed: Annotated[float, heat.LEAST_SPEED]
    melt_limit: float
    bore: float
    filament: float
    highest: float

    @property
    def filament_area(self) -> float:
        """Section of the filament, mm²."""
        return float(np.pi * self.filament**2 / 4)


@dataclass(frozen=True, eq=False)
class PathSpeeds:
    """What each path is laid with.

    Attributes
    ----------
    feed : (P,) float64
        mm/min, whole numbers.
    acceleration : (P,) float64
        mm/s².
    area : (P,) float64
        Plastic per length, mm², flow included.
    """

    feed: NDArray[np.float64]
    acceleration: NDArray[np.float64]
    area: NDArray[np.float64]


def path_speeds(
    toolpath: Toolpath, lengths: NDArray[np.float64], lines: Records[LineSettings], settings: MotionSettings
) -> PathSpeeds:
    """Return the speed of each path, (P,) mm long, before any slowing for its layer's time.

    The melt limit holds: speed × section of the line never exceeds it.
    """
    record, role = lines.of_paths(toolpath), toolpath.role
    first_speed, outer = lines.each("first_speed", record), role == OUTER_WALL
    wanted = np.select(
        [outer, (role == TOP) | (role == BOTTOM), role == SKIRT, role == BRIDGE],
        [lines.each(name, record) for name in ("outer_speed", "cover_speed", "first_speed", "bridge_speed")],
        lines.each("print_speed", record),
    )
    small = _small_loops(toolpath, lengths, lines.each("small_loop", record))
    wanted = np.where(small, np.minimum(wanted, lines.each("small_speed", record)), wanted)
    first = toolpath.on_bed()
    wanted = np.where(first, np.minimum(wanted, first_speed), wanted)
    over_raft = (toolpath.own == 0) & ~first
    wanted = np.where(over_raft, np.minimum(wanted, lines.each("over_raft_speed", record)), wanted)
    flow = lines.each("flow", record)
    flow = np.where(first, flow * lines.each("first_flow", record) / 100.0, flow) / 100.0
    strand = np.array([strand_section(settings.bore, one.bridge_flow) for one in lines.records])[record]
    width, height = toolpath.width.astype(np.float64), toolpath.height.astype(np.float64)
    area = line_section(role == BRIDGE, width, height, strand, flow)
    wanted = np.minimum(wanted, settings.melt_limit / np.maximum(area, 1e-9))
    acceleration = np.where(outer, lines.each("outer_acceleration", record), lines.each("print_acceleration", record))
    return PathSpeeds(np.maximum(np.floor(wanted * 60.0), 1.0), acceleration, area)


def _small_loops(toolpath: Toolpath, lengths: NDArray[np.float64], longest: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which paths are closed walls no longer than ``longest`` mm."""
    wall = (toolpath.role == OUTER_WALL) | (toolpath.role == INNER_WALL)
    return np.asarray(wall & (lengths <= longest) & toolpath.closed())
