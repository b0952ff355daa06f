"""Moves as the machine sees them, and how long they take."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import MotionLimits
from even_step.core.kernels import kernel

GO, EXTRUDE, RETRACT, RETURN, RAISE = range(5)


@dataclass(frozen=True, eq=False)
class Moves:
    """Some moves in a row, from rest to rest.

    Attributes
    ----------
    start : (3,) float64
        Where the nozzle is before, mm.
    kind : (M,) uint8
        Travel, extrude, retract, return of the filament, or raise (z alone).
    to : (M, 3) float64
        Where each move ends, mm.
    e : (M,) float64
        Filament moved, mm.
    feed : (M,) float64
        Speed asked for, mm/min.
    acceleration : (M,) float64
        Acceleration asked for, mm/s².
    path : (M,) int64
        The path a move lays, or leads to.
    """

    start: NDArray[np.float64]
    kind: NDArray[np.uint8]
    to: NDArray[np.float64]
    e: NDArray[np.float64]
    feed: NDArray[np.float64]
    acceleration: NDArray[np.float64]
    path: NDArray[np.int64]


@dataclass(frozen=True)
class Limits:
    """The machine's limits as arrays: x, y, z, e in mm/s and mm/s²; junction deviation in mm."""

    speed: NDArray[np.float64]
    acceleration: NDArray[np.float64]
    junction: float

    @classmethod
    def of(cls, motion: MotionLimits) -> Limits:
        """Take a machine's."""
        return cls(np.array(motion.speed), np.array(motion.acceleration), motion.junction_deviation)


def durations(moves: Moves, limits: Limits) -> NDArray[np.float64]:
    """Return how long each move takes, (M,), s.

    Notes
    -----
    Each move is a trapezoid of speed over time. Speed at a junction is that of a circle that leaves the
    corner by the junction deviation, ``v² = a·δ·sin(θ/2) / (1 − sin(θ/2))``, θ the angle between the moves;
    a pass back and a pass forth over all moves make sure each speed can be reached and left again. Speed
    and acceleration keep to every axis' limit. Moves of filament alone begin and end at rest.
    """
    out = np.zeros(len(moves.kind))
    take_time(
        moves.start,
        moves.to,
        moves.e,
        moves.feed,
        moves.acceleration,
        limits.speed,
        limits.acceleration,
        limits.junction,
        out,
    )
    return out


@kernel
def take_time(start, to, e, feed, asked, top_speed, top_acceleration, junction, out):  # type: ignore[no-untyped-def]
    """Put down how long each move takes, as ``durations`` says."""
    count = to.shape[0]
    length = np.empty(count)
    nominal = np.empty(count)
    gain = np.empty(count)
    entry = np.zeros(count + 1)
    px, py, pz = start[0], start[1], start[2]
    ux = uy = uz = 0.0
    before_ok = False
    last = -1
    for i in range(count):
        dx, dy, dz, de = to[i, 0] - px, to[i, 1] - py, to[i, 2] - pz, e[i]
        px, py, pz = to[i, 0], to[i, 1], to[i, 2]
        way = np.sqrt(dx * dx + dy * dy + dz * dz)
        moves_head = way > 1e-9
        if not moves_head:
            way = abs(de)
        length[i] = way
        if way <= 1e-9:
            length[i] = 0.0
            continue
        vx, vy, vz = dx / way, dy / way, dz / way
        share = abs(de) / way
        speed = feed[i] / 60.0
        a = asked[i]
        if vx != 0.0:
            speed = min(speed, top_speed[0] / abs(vx))
            a = min(a, top_acceleration[0] / abs(vx))
        if vy != 0.0:
            speed = min(speed, top_speed[1] / abs(vy))
            a = min(a, top_acceleration[1] / abs(vy))
        if vz != 0.0:
            speed = min(speed, top_speed[2] / abs(vz))
            a = min(a, top_acceleration[2] / abs(vz))
        if share > 0.0:
            speed = min(speed, top_speed[3] / share)
            a = min(a, top_acceleration[3] / share)
        nominal[i] = speed
        gain[i] = a
        at = 0.0
        if moves_head and before_ok:
            cos = -(ux * vx + uy * vy + uz * vz)
            at = min(speed, nominal[last])
            if cos > -0.999999:
                sin = np.sqrt(max(0.0, 0.5 * (1.0 - cos)))
                circle = np.inf if sin > 0.999999 else min(a, gain[last]) * junction * sin / (1.0 - sin)
                at = min(at, np.sqrt(circle))
        entry[i] = at
        ux, uy, uz = vx, vy, vz
        before_ok = moves_head
        last = i
    leaving = 0.0
    for i in range(count - 1, -1, -1):
        if length[i] == 0.0:
            continue
        entry[i] = min(entry[i], np.sqrt(leaving * leaving + 2.0 * gain[i] * length[i]))
        leaving = entry[i]
    v0 = 0.0
    for i in range(count):
        if length[i] == 0.0:
            continue
        v0 = min(v0, entry[i])
        j = i + 1
        while j < count and length[j] == 0.0:
            j += 1
        v1 = entry[j] if j < count else 0.0
        a, way = gain[i], length[i]
        v1 = min(v1, np.sqrt(v0 * v0 + 2.0 * a * way))
        top = min(nominal[i], np.sqrt(a * way + 0.5 * (v0 * v0 + v1 * v1)))
        top = max(top, v0, v1)
        ramps = (2.0 * top * top - v0 * v0 - v1 * v1) / (2.0 * a)
        out[i] = (2.0 * top - v0 - v1) / a + max(0.0, way - ramps) / top
        v0 = v1
    return 0
