"""What speed, acceleration, flow and lift each path gets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from even_step.core.catalogue import (
    bridges,
    foot,
    hanging,
    heat,
    layers,
    motion,
    purge,
    support_lines,
    supports,
    travel,
)
from even_step.core.motion.records import Records
from even_step.core.plane.bead import line_section, strand_section
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.toolpath.roles import BRIDGE, INNER_WALL, OUTER_WALL, SUPPORT, SUPPORT_CONTACT, TABLE
from even_step.core.toolpath.toolpath import Toolpath

BESIDE = 1.0  # mm, a shorter way between lines of supports knocks against nothing


@dataclass(frozen=True)
class LineSettings:
    """What lines are laid with: speeds (mm/s), accelerations (mm/s²), flow (%); the longest small loop, mm.

    ``least_layer_time`` passes, in s, before the next of a part's layers begins where a layer is ``usual_height`` mm
    thick; ``melt_limit`` is the material's, mm³/s, ``bore`` the nozzle's, mm.
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
    support_speed: Annotated[float, support_lines.SPEED]
    contact_speed: Annotated[float, support_lines.CONTACT_SPEED]
    support_flow: Annotated[float, support_lines.FLOW]
    hangs_from: Annotated[float, hanging.FROM]
    over_raft_speed: Annotated[float, foot.OVER_RAFT_SPEED]
    least_layer_time: Annotated[float, heat.LEAST_LAYER_TIME]
    usual_height: Annotated[float, layers.HEIGHT]
    melt_limit: float
    bore: float

    @property
    def full(self) -> float:
        """The flow of lines that have none of their own, %."""
        return 100.0


@dataclass(frozen=True)
class MotionSettings:
    """How the machine moves, whatever it lays: speeds (mm/s), retraction (mm).

    ``filament`` is its diameter and ``highest`` the top of the build volume, mm;
    ``change_time`` is what a change of extruder takes beside its moves, s.
    """

    travel_speed: Annotated[float, motion.TRAVEL_SPEED]
    travel_acceleration: Annotated[float, motion.TRAVEL_ACCELERATION]
    retract_length: Annotated[float, travel.RETRACT_LENGTH]
    retract_speed: Annotated[float, travel.RETRACT_SPEED]
    lift: Annotated[float, travel.LIFT]
    support_lift: Annotated[float, supports.LIFT]
    wipe: Annotated[float, travel.WIPE]
    change_retract: Annotated[float, purge.RETRACT]
    least_speed: Annotated[float, heat.LEAST_SPEED]
    filament: float
    highest: float
    change_time: float

    @property
    def most_lift(self) -> float:
        """How far the nozzle is raised at the most, mm."""
        return max(self.lift, self.support_lift, 0.0)

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
    changes : (P,) int8
        As in ``Toolpath.changes``.
    lift : (P,) float64
        How far the nozzle is raised on its way to it, mm.
    """

    feed: NDArray[np.float64]
    acceleration: NDArray[np.float64]
    area: NDArray[np.float64]
    changes: NDArray[np.int8]
    lift: NDArray[np.float64]


def path_speeds(
    toolpath: Toolpath, lengths: NDArray[np.float64], lines: Records[LineSettings], settings: MotionSettings
) -> PathSpeeds:
    """Return the speed of each path, (P,) mm long, before any slowing for its layer's time.

    The melt limit holds: speed × section of the line never exceeds it.
    """
    record, role = lines.of_paths(toolpath), toolpath.role
    first_speed = lines.each("first_speed", record)
    wanted = _by_role("speed", lines, record, role)
    wanted = toward_bridge(wanted, lines.each("bridge_speed", record), toolpath, lines.each("hangs_from", record))
    small = _small_loops(toolpath, lengths, lines.each("small_loop", record))
    wanted = np.where(small, np.minimum(wanted, lines.each("small_speed", record)), wanted)
    first = toolpath.on_bed()
    wanted = np.where(first, np.minimum(wanted, first_speed), wanted)
    over_raft = (toolpath.own == 0) & ~first
    wanted = np.where(over_raft, np.minimum(wanted, lines.each("over_raft_speed", record)), wanted)
    flow = lines.each("flow", record)
    flow = np.where(first, flow * lines.each("first_flow", record) / 100.0, flow) / 100.0
    flow = flow * (_by_role("flow", lines, record, role) / 100.0)
    strands = np.array([strand_section(one.bore, one.bridge_flow) for one in lines.records])
    strand = np.broadcast_to(strands, record.shape) if len(strands) == 1 else strands[record]
    width, height = toolpath.width.astype(np.float64), toolpath.height.astype(np.float64)
    area = line_section(role == BRIDGE, width, height, strand, flow)
    wanted = np.minimum(wanted, lines.each("melt_limit", record) / np.maximum(area, 1e-9))
    acceleration = _by_role("acceleration", lines, record, role)
    feed = np.maximum(np.floor(wanted * 60.0), 1.0)
    return PathSpeeds(feed, acceleration, area, toolpath.changes(), _lifts(toolpath, settings))


def _lifts(toolpath: Toolpath, settings: MotionSettings) -> NDArray[np.float64]:
    """Return how far the nozzle is raised on the way to each path, (P,), mm."""
    lift = np.where(toolpath.retract, max(settings.lift, 0.0), 0.0)
    if settings.support_lift <= 0.0 or len(lift) < 2:
        return lift
    held = np.isin(toolpath.role, (SUPPORT, SUPPORT_CONTACT))
    begin, end = toolpath.xy[toolpath.start[1:-1]], toolpath.xy[toolpath.start[1:-1] - 1]
    over = (held[1:] | held[:-1]) & (np.hypot(*(begin - end).T) > BESIDE)
    lift[1:] = np.where(over, np.maximum(lift[1:], settings.support_lift), lift[1:])
    return lift


def toward_bridge(
    own: NDArray[np.float64],
    over_air: NDArray[np.float64],
    toolpath: Toolpath,
    hangs_from: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Return what each path is laid with: its own where enough of it is held, evenly down to a bridge's over air.

    ``hangs_from`` is the share from which a wall counts as held, %, (P,).
    """
    hangs = toolpath.held < ALL_HELD
    if not hangs.any():
        return own
    held = np.minimum(toolpath.held / np.maximum(hangs_from / 10.0, 1e-9), 1.0)
    return np.where(hangs, over_air + (own - over_air) * held, own)


def _by_role(
    what: str, lines: Records[LineSettings], record: NDArray[np.int64], role: NDArray[np.uint8]
) -> NDArray[np.float64]:
    """Return for each path the field that the table of roles names for it, (P,)."""
    table = np.array([[getattr(one, getattr(kind, what)) for kind in TABLE] for one in lines.records], np.float64)
    return np.asarray(table[0][role] if len(table) == 1 else table[record, role])


def _small_loops(toolpath: Toolpath, lengths: NDArray[np.float64], longest: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Tell which paths are closed walls no longer than ``longest`` mm."""
    wall = (toolpath.role == OUTER_WALL) | (toolpath.role == INNER_WALL)
    return np.asarray(wall & (lengths <= longest) & toolpath.closed())
