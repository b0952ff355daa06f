"""The G-code of a job. The same job gives the same bytes."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step import __version__
from even_step.core.errors import JobError
from even_step.core.job.cascade import Resolved
from even_step.core.job.model import Job
from even_step.core.kernels import kernel
from even_step.core.motion.expand import layer_moves
from even_step.core.motion.plan import MotionPlan
from even_step.core.motion.speeds import MotionSettings
from even_step.core.toolpath.roles import ROLES
from even_step.core.toolpath.toolpath import Toolpath
from even_step.core.work import Crew

LONGEST_MOVE = 96  # bytes of one move's lines at the most
LAYERS_AT_ONCE = 24
PLACE = re.compile(r"\{([a-z_.]+)\}")


@dataclass(frozen=True, eq=False)
class GcodeJob:
    """All that is written.

    Attributes
    ----------
    job, resolved
        For the head, the machine's own code and the temperatures.
    toolpath, plan, settings
        The moves.
    part_names : tuple of (name, copy)
        For each placed part.
    mass_g, changed
        For the head.
    """

    job: Job
    resolved: Resolved
    toolpath: Toolpath
    plan: MotionPlan
    settings: MotionSettings
    part_names: tuple[tuple[str, int], ...]
    mass_g: float
    changed: dict[str, object]


def gcode(source: GcodeJob, crew: Crew) -> Iterator[bytes]:
    """Yield the file piece by piece, in order.

    Raises
    ------
    JobError
        When the machine's own code names a setting that does not exist.
    """
    yield _head(source)
    layers = source.toolpath.layers
    for first in range(0, layers, LAYERS_AT_ONCE * crew.threads):
        last = min(first + LAYERS_AT_ONCE * crew.threads, layers)
        runs = [(a, min(a + LAYERS_AT_ONCE // 4, last)) for a in range(first, last, LAYERS_AT_ONCE // 4)]
        yield from crew.each(lambda a, b: b"".join(_layer(source, k) for k in range(a, b)), runs)
        crew.progress("write", last / max(1, layers))
    yield _tail(source)


def _plain(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def _quoted(text: str) -> str:
    """Quote a name for a comment: plain ASCII on one line."""
    plain = text.encode("ascii", "replace").decode().replace('"', "'")
    return '"' + "".join(letter if letter.isprintable() else "?" for letter in plain) + '"'


def _numbers(values: tuple[float, ...]) -> str:
    return ",".join(f"{value:g}" for value in values)


def _head(source: GcodeJob) -> bytes:
    job, machine = source.job, source.job.machine
    limits, bed = machine.motion, machine.bed
    lines = [
        f"program=even-step version={__version__}",
        f"job={_quoted(job.name)} machine={_quoted(machine.name)} recipe={_quoted(job.recipe.name)}",
        *(f"material={_quoted(material.name)} extruder={i}" for i, material in enumerate(job.materials)),
        f"layers={source.toolpath.layers} time_s={source.plan.total:.1f} mass_g={source.mass_g:.2f}",
        f"limits speed={_numbers(limits.speed)} acceleration={_numbers(limits.acceleration)} "
        f"junction={limits.junction_deviation:g}",
        f"volume bed={bed.shape} bounds={_numbers(bed.bounds)} height={machine.height:g} "
        f"filament={machine.filament_diameter:g}",
        *(f"set {key}={_plain(value)}" for key, value in sorted(source.changed.items())),
    ]
    own = _own_code(machine.start, source.resolved)
    text = "".join(f";es {line}\n" for line in lines) + f";es start\n{own};es end\n"
    text += "G90\nM83\n" + ("T0\n" if len(machine.extruders) > 1 else "") + "G92 E0\n"
    text += f"M204 T{source.settings.travel_acceleration:.0f}\nM107\n"
    return text.encode("ascii", "replace")


def _tail(source: GcodeJob) -> bytes:
    own = _own_code(source.job.machine.end, source.resolved)
    return f";es start\n{own};es end\n".encode("ascii", "replace")


def _own_code(template: str, resolved: Resolved) -> str:
    """Fill the machine's own code: ``{heat.bed}`` becomes the setting's value."""

    def fill(found: re.Match[str]) -> str:
        if found[1] not in resolved.values:
            raise JobError(
                f"the machine's own code names {found[1]}, which is no setting",
                subject="machine",
                remedy="mend its start or end code",
            )
        return _plain(resolved.values[found[1]])

    text = PLACE.sub(fill, template).strip()
    return text + "\n" if text else ""


def _layer_head(source: GcodeJob, layer: int) -> bytes:
    """Comments and the machine's state at the beginning of a layer."""
    values = source.resolved.values
    top = float(source.toolpath.top[layer])
    thick = top - (float(source.toolpath.top[layer - 1]) if layer else 0.0)
    text = f";es layer={layer} top={top:.3f} thick={thick:.3f}\n"
    if layer == 1 and values["heat.nozzle"] != values["heat.first_nozzle"]:
        text += f"M104 S{_plain(values['heat.nozzle'])}\n"
    if layer == int(values["cooling.fan_from_layer"]) and float(values["cooling.fan"]) > 0:
        text += f"M106 S{float(values['cooling.fan']) * 2.55:.0f}\n"
    return text.encode()


def _layer(source: GcodeJob, layer: int) -> bytes:
    """Format one layer; what is modal in G-code is stated anew, so layers can be written apart."""
    path = source.toolpath
    moves = layer_moves(path, source.plan.speeds, source.settings, layer, float(source.plan.pace[layer]))
    first, last = int(path.layer[layer]), int(path.layer[layer + 1])
    tags, tag_start, tag_of = _tags(source, first, last)
    size = (len(moves.kind) + 1) * LONGEST_MOVE + int(np.diff(tag_start)[tag_of[tag_of >= 0]].sum()) + 64
    buffer = np.empty(size, np.uint8)
    used = _format(
        moves.start,
        moves.kind,
        moves.to,
        moves.e,
        moves.feed,
        moves.acceleration,
        moves.path - first,
        tags,
        tag_start,
        tag_of,
        first == 0,
        buffer,
    )
    return _layer_head(source, layer) + buffer[:used].tobytes()


def _tags(source: GcodeJob, first: int, last: int) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int64]]:
    """Return comments and which of them each path begins with (role and part; −1 for none)."""
    path = source.toolpath
    if last == first:
        return np.empty(0, np.uint8), np.zeros(1, np.int64), np.empty(0, np.int64)
    look = np.stack(
        (
            path.role[first:last].astype(np.float64),
            path.width[first:last],
            path.height[first:last],
            path.part[first:last],
        ),
        axis=1,
    )
    changed = np.ones(last - first, bool)
    changed[1:] = (look[1:] != look[:-1]).any(axis=1)
    new_part = np.ones(last - first, bool)
    new_part[1:] = look[1:, 3] != look[:-1, 3]
    key = np.column_stack((look, new_part))[changed]
    unique, place = np.unique(key, axis=0, return_inverse=True)
    texts = [_tag(source, row) for row in unique]
    tag_of = np.full(last - first, -1, np.int64)
    tag_of[changed] = place.ravel()
    starts = np.cumsum([0, *(len(text) for text in texts)]).astype(np.int64)
    return np.frombuffer(b"".join(texts), np.uint8), starts, tag_of


def _tag(source: GcodeJob, row: NDArray[np.float64]) -> bytes:
    text = ""
    if row[4] and row[3] >= 0:
        name, copy = source.part_names[int(row[3])]
        text = f";es part={_quoted(name)} copy={copy}\n"
    return (text + f";es role={ROLES[int(row[0])]} width={row[1]:.3g} height={row[2]:.3g}\n").encode()


@kernel
def _digits(buffer, w, value, decimals):  # type: ignore[no-untyped-def]
    """Write a whole number with a point before its last decimals; returns the place after it."""
    if value < 0:
        buffer[w] = 45
        w += 1
        value = -value
    left = np.uint64(value)
    ten = np.uint64(10)
    size = 1
    probe = left // ten
    while probe > np.uint64(0):
        size += 1
        probe = probe // ten
    size = max(size, decimals + 1)
    total = size + (1 if decimals > 0 else 0)
    at = w + total - 1
    for i in range(size):
        if decimals > 0 and i == decimals:
            buffer[at] = 46
            at -= 1
        rest = left // ten
        buffer[at] = np.uint8(48 + np.int64(left - rest * ten))
        left = rest
        at -= 1
    return w + total


@kernel
def _word(buffer, w, letter, value, decimals):  # type: ignore[no-untyped-def]
    buffer[w] = 32
    buffer[w + 1] = letter
    return _digits(buffer, w + 2, value, decimals)


@kernel
def _format(start, kind, to, e, feed, acceleration, path, tags, tag_start, tag_of, is_first, buffer):  # type: ignore[no-untyped-def]
    """Write moves as G0 and G1 with only the words that change."""
    w = 0
    x = np.int64(np.round(start[0] * 1000.0))
    y = np.int64(np.round(start[1] * 1000.0))
    z = np.int64(np.round(start[2] * 1000.0))
    all_axes = is_first
    told_feed = -1.0
    told_gain = -1.0
    told_path = np.int64(-1)
    for i in range(kind.shape[0]):
        if kind[i] == 1 and path[i] != told_path:
            told_path = path[i]
            tag = tag_of[told_path]
            if tag >= 0:
                for b in range(tag_start[tag], tag_start[tag + 1]):
                    buffer[w] = tags[b]
                    w += 1
            if acceleration[i] != told_gain:
                told_gain = acceleration[i]
                buffer[w], buffer[w + 1], buffer[w + 2], buffer[w + 3] = 77, 50, 48, 52
                w = _word(buffer, w + 4, 80, np.int64(told_gain), 0)
                buffer[w] = 10
                w += 1
        buffer[w] = 71
        buffer[w + 1] = 48 if kind[i] == 0 or kind[i] == 4 else 49
        w += 2
        nx = np.int64(np.round(to[i, 0] * 1000.0))
        ny = np.int64(np.round(to[i, 1] * 1000.0))
        nz = np.int64(np.round(to[i, 2] * 1000.0))
        if nx != x or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 88, nx, 3)
        if ny != y or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 89, ny, 3)
        if nz != z or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 90, nz, 3)
            all_axes = False
        x, y, z = nx, ny, nz
        if e[i] != 0.0:
            w = _word(buffer, w, 69, np.int64(np.round(e[i] * 100000.0)), 5)
        if feed[i] != told_feed:
            told_feed = feed[i]
            w = _word(buffer, w, 70, np.int64(told_feed), 0)
        buffer[w] = 10
        w += 1
    return w
