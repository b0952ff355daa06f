"""What speed, acceleration, flow and lift each path gets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import bridges, heat, motion, travel
from even_step.core.plane.bead import line_section, strand_section
from even_step.core.toolpath.roles import BOTTOM, BRIDGE, INNER_WALL, OUTER_WALL, ROLES, SKIRT, TOP
from even_step.core.toolpath.toolpath import Toolpath


@dataclass(frozen=True)
class MotionSettings:
    """Speeds (mm/s), accelerations (mm/s²), retraction (mm), flow (%), least layer time (s).

    ``melt_limit`` is the material's, mm³/s; ``bore`` the nozzle's, ``filament`` its diameter and ``highest`` the top of
    the build volume, mm.
    """

    print_speed: Annotated[float, motion.PRINT_SPEED]
    outer_speed: Annotated[float, motion.OUTER_SPEED]
    cover_speed: Annotated[float, motion.COVER_SPEED]
    first_speed: Annotated[float, motion.FIRST_SPEED]
    small_speed: Annotated[float, motion.SMALL_SPEED]
    small_loop: Annotated[float, motion.SMALL_LOOP]
    travel_speed: Annotated[float, motion.TRAVEL_SPEED]
    print_acceleration: Annotated[float, motion.PRINT_ACCELERATION]
    outer_acceleration: Annotated[float, motion.OUTER_ACCELERATION]
    travel_acceleration: Annotated[float, motion.TRAVEL_ACCELERATION]
    retract_length: Annotated[float, travel.RETRACT_LENGTH]
    retract_speed: Annotated[float, travel.RETRACT_SPEED]
    lift: Annotated[float, travel.LIFT]
    wipe: Annotated[float, travel.WIPE]
    flow: Annotated[float, travel.FLOW]
    first_flow: Annotated[float, travel.FIRST_FLOW]
    bridge_speed: Annotated[float, bridges.SPEED]
    bridge_flow: Annotated[float, bridges.FLOW]
    least_layer_time: Annotated[float, heat.LEAST_LAYER_TIME]
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


def path_speeds(toolpath: Toolpath, lengths: NDArray[np.float64], settings: MotionSettings) -> PathSpeeds:
    """Return the speed of each path, (P,) mm long, before any slowing for its layer's time.

    The melt limit holds: speed × section of the line never exceeds it.
    """
    speed = np.full(len(ROLES), settings.print_speed)
    speed[OUTER_WALL] = settings.outer_speed
    speed[[TOP, BOTTOM]] = settings.cover_speed
    speed[SKIRT] = settings.first_speed
    speed[BRIDGE] = settings.bridge_speed
    first = toolpath.layer_of_path() == 0
    wanted = speed[toolpath.role]
    wanted = np.where(
        _small_loops(toolpath, lengths, settings.small_loop), np.minimum(wanted, settings.small_speed), wanted
    )
    wanted = np.where(first, np.minimum(wanted, settings.first_speed), wanted)
    flow = np.where(first, settings.flow * settings.first_flow / 100.0, settings.flow) / 100.0
    width, height = toolpath.width.astype(np.float64), toolpath.height.astype(np.float64)
    strand = strand_section(settings.bore, settings.bridge_flow)
    area = line_section(toolpath.role == BRIDGE, width, height, strand, flow)
    wanted = np.minimum(wanted, settings.melt_limit / np.maximum(area, 1e-9))
    acceleration = np.where(toolpath.role == OUTER_WALL, settings.outer_acceleration, settings.print_acceleration)
    return PathSpeeds(np.maximum(np.floor(wanted * 60.0), 1.0), acceleration, area)


def _small_loops(toolpath: Toolpath, lengths: NDArray[np.float64], longest: float) -> NDArray[np.bool_]:
    """Tell which paths are closed walls no longer than ``longest`` mm."""
    wall = (toolpath.role == OUTER_WALL) | (toolpath.role == INNER_WALL)
    return np.asarray(wall & (lengths <= longest) & toolpath.closed())
