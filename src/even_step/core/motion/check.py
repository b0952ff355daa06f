"""Measure a G-code file as it stands, apart from how it was made."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.job.model import Bed, Machine, MotionLimits
from even_step.core.motion.moves import EXTRUDE, GO, RETRACT, Limits, Moves, durations
from even_step.core.motion.reader import NO_ROLE, ReadMoves, read_gcode

EDGE = 0.001  # mm


@dataclass(frozen=True)
class Checked:
    """What a file holds; fields as in the command line's contract."""

    layers: int
    z_mm: list[float]
    time_s: float
    volume_by_role_mm3: dict[str, float]
    volume_by_extruder_mm3: list[float]
    changes_of_extruder: int
    bounds_mm: list[list[float]]
    longest_travel_mm: float
    largest_flow_mm3_s: float
    retractions: int
    outside_volume: bool


def check_gcode(path: Path, machine: Machine | None = None) -> Checked:
    """Read a file back and measure it.

    Parameters
    ----------
    path
        A G-code file.
    machine
        Whose limits and volume to take; the file's own head when left out.

    Raises
    ------
    InputError
        When it is no G-code, or neither head nor machine says the limits.
    """
    read = read_gcode(path)
    limits, bed, height, filament = _machine_of(path, read, machine)
    job = ~read.own
    took = _times(read, limits)
    ends = read.to[job]
    start = np.vstack((ends[:1], ends[:-1]))
    way = np.sqrt(np.nansum((ends - start) ** 2, axis=1))
    laying = (read.kind == EXTRUDE)[job]
    travelling = (read.kind == GO)[job]
    section = np.pi * filament**2 / 4
    volume = read.e[job] * section
    layers = read.layer[job]
    extruder = read.extruder[job]
    changes = int((np.diff(extruder) != 0).sum())
    with np.errstate(divide="ignore", invalid="ignore"):
        flow = volume * read.feed[job] / 60.0 / way
    seen = ends[laying | travelling]
    low, high = (np.nanmin(ends, axis=0), np.nanmax(ends, axis=0)) if len(ends) else (np.zeros(3), np.zeros(3))
    return Checked(
        layers=int(layers.max(initial=-1)) + 1,
        z_mm=[float(top) for top in read.tops] or _tops(ends, laying),
        time_s=float(took.sum()) + changes * float(read.head.get("change_s", 0.0)),
        volume_by_role_mm3=_by_role(read, job, laying, volume),
        volume_by_extruder_mm3=np.bincount(extruder[laying], volume[laying]).tolist(),
        changes_of_extruder=changes,
        bounds_mm=[[float(v) for v in low], [float(v) for v in high]],
        longest_travel_mm=float(way[travelling].max(initial=0.0)),
        largest_flow_mm3_s=float(flow[laying & (way > 1e-9)].max(initial=0.0)),
        retractions=int((read.kind[job] == RETRACT).sum()),
        outside_volume=bool(_outside(seen, bed) or (len(ends) and (low[2] < -EDGE or high[2] > height + EDGE))),
    )


def _machine_of(path: Path, read: ReadMoves, machine: Machine | None) -> tuple[Limits, Bed, float, float]:
    if machine:
        return Limits.of(machine.motion), machine.bed, machine.height, machine.filament_diameter
    head = read.head
    try:
        speed, gain = (_floats(head[f"limit_{key}"]) for key in ("speed", "acceleration"))
        motion = MotionLimits.model_validate(
            {"speed": speed, "acceleration": gain, "junction_deviation": float(head["junction"])}
        )
        x0, y0, x1, y1 = _floats(head["bounds"])
        bed = Bed.model_validate(
            {
                "shape": head["bed"],
                "size": (x1 - x0, y1 - y0),
                "origin": "corner" if x0 == 0 else "centre",
            }
        )
        return Limits.of(motion), bed, float(head["height"]), float(head["filament"])
    except (KeyError, ValueError) as error:
        raise InputError(
            "its head does not say the limits of the machine", subject=path, remedy="give --machine"
        ) from error


def _floats(text: str) -> tuple[float, ...]:
    return tuple(float(word) for word in text.split(","))


def _times(read: ReadMoves, limits: Limits) -> NDArray[np.float64]:
    """Time the moves layer by layer; what leads from the unknown is not counted."""
    out = np.zeros(len(read.kind))
    chosen = np.flatnonzero(~read.own & ~np.isnan(read.to).any(axis=1))
    if len(chosen) == 0:
        return out
    cuts = np.flatnonzero(np.diff(read.layer[chosen])) + 1
    before = read.to[chosen[0]]
    for group in np.split(chosen, cuts):
        moves = Moves(
            before,
            read.kind[group],
            read.to[group],
            read.e[group],
            read.feed[group],
            read.acceleration[group],
            group,
        )
        out[group] = durations(moves, limits)
        before = read.to[group[-1]]
    return out


def _tops(ends: NDArray[np.float64], laying: NDArray[np.bool_]) -> list[float]:
    heights = ends[laying, 2]
    return [float(z) for z in np.unique(heights[~np.isnan(heights)])]


def _by_role(
    read: ReadMoves, job: NDArray[np.bool_], laying: NDArray[np.bool_], volume: NDArray[np.float64]
) -> dict[str, float]:
    roles = read.role[job]
    named = {word: float(volume[laying & (roles == i)].sum()) for i, word in enumerate(read.role_words)}
    rest = float(volume[laying & (roles == NO_ROLE)].sum())
    return {
        **{word: total for word, total in named.items() if total > 0},
        **({"unknown": rest} if rest > 0 else {}),
    }


def _outside(points: NDArray[np.float64], bed: Bed) -> bool:
    x0, y0, x1, y1 = bed.bounds
    if bed.shape == "round":
        cx, cy = bed.centre
        return bool((np.hypot(points[:, 0] - cx, points[:, 1] - cy) > bed.size[0] / 2 + EDGE).any())
    xy = points[:, :2]
    return bool(((xy < (x0 - EDGE, y0 - EDGE)) | (xy > (x1 + EDGE, y1 + EDGE))).any())
