"""What G-code says beside its moves: the head, the machine's own code, layers, parts and roles."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from even_step import __version__
from even_step.core.job.cascade import Resolved
from even_step.core.job.model import Job
from even_step.core.motion.extruder_code import ExtruderCode
from even_step.core.motion.own_code import own_code, plain
from even_step.core.motion.plan import MotionPlan
from even_step.core.motion.speeds import MotionSettings
from even_step.core.toolpath.roles import ROLES
from even_step.core.toolpath.toolpath import Toolpath


@dataclass(frozen=True, eq=False)
class GcodeJob:
    """All that is written.

    Attributes
    ----------
    job, tables
        For the head, the machine's own code and the temperatures; what holds for the job with each extruder.
    toolpath, plan, settings
        The moves.
    part_names : tuple of (name, copy)
        For each placed part.
    mass_g, changed
        For the head.
    fans : (P,) int64
        How fast the fan turns on each path, 0 to 255.
    heats : (L,) float64
        How hot the nozzle is in each layer where zones say so, °C, NaN elsewhere.
    """

    job: Job
    tables: tuple[Resolved, ...]
    toolpath: Toolpath
    plan: MotionPlan
    settings: MotionSettings
    part_names: tuple[tuple[str, int], ...]
    mass_g: float
    changed: dict[str, object]
    fans: NDArray[np.int64]
    heats: NDArray[np.float64]

    @cached_property
    def extruders(self) -> ExtruderCode:
        """What is said at changes of extruder."""
        return ExtruderCode(self.job.machine, self.tables, self.toolpath, self.plan, self.heats)

    def in_hand(self, layer: int) -> int:
        """Return the extruder with which a layer begins."""
        first = min(int(self.toolpath.layer[layer]), len(self.toolpath.extruder) - 1)
        return int(self.toolpath.extruder[first]) if first >= 0 else 0

    @cached_property
    def offsets(self) -> NDArray[np.float64] | None:
        """Where the nozzles sit, (extruders, 2), mm; none where all sit in one place."""
        offsets = np.array([nozzle.offset for nozzle in self.job.machine.extruders])
        return offsets if offsets.any() else None

    @cached_property
    def thickest(self) -> NDArray[np.float64]:
        """Thickness of the thickest lines of each layer, (L,), mm."""
        return self.toolpath.courses.thickest()


def _quoted(text: str) -> str:
    """Quote a name for a comment: plain ASCII on one line."""
    plain = text.encode("ascii", "replace").decode().replace('"', "'")
    return '"' + "".join(letter if letter.isprintable() else "?" for letter in plain) + '"'


def _numbers(values: tuple[float, ...]) -> str:
    return ",".join(f"{value:g}" for value in values)


def head(source: GcodeJob) -> bytes:
    """Return what comes before the first layer."""
    job, machine = source.job, source.job.machine
    limits, bed = machine.motion, machine.bed
    lines = [
        f"program=even-step version={__version__}",
        f"job={_quoted(job.name)} machine={_quoted(machine.name)} recipe={_quoted(job.recipe.name)}",
        *(f"material={_quoted(job.materials[i].name)} extruder={i + 1}" for i in source.extruders.used or [0]),
        f"layers={source.toolpath.layers} time_s={source.plan.total:.1f} mass_g={source.mass_g:.2f}",
        f"limit_speed={_numbers(limits.speed)} limit_acceleration={_numbers(limits.acceleration)} "
        f"junction={limits.junction_deviation:g}",
        f"bed={bed.shape} bounds={_numbers(bed.bounds)} height={machine.height:g} "
        f"filament={machine.filament_diameter:g}"
        + (f" change_s={machine.change_time:g}" if len(source.extruders.used) > 1 else ""),
        *(f"{key}={plain(value)}" for key, value in sorted(source.changed.items())),
        *(
            f"own={_quoted(part.name)} {key}={plain(value)}"
            for part in job.parts
            for key, value in sorted(part.settings.items())
        ),
    ]
    own = own_code(machine.start, source.extruders.table)
    text = "".join(f";es {line}\n" for line in lines) + f";es start\n{own};es end\n"
    text += "G90\nM83\n" + source.extruders.head() + "G92 E0\n"
    text += f"M204 T{source.settings.travel_acceleration:.0f}\nM107\n"
    return text.encode("ascii", "replace")


def tail(source: GcodeJob) -> bytes:
    """Return what comes after the last layer."""
    own = own_code(source.job.machine.end, source.extruders.table)
    return f";es start\n{own};es end\n".encode("ascii", "replace")


def layer_head(source: GcodeJob, layer: int) -> bytes:
    """Return comments and the machine's state at the beginning of a layer."""
    top, thick = float(source.toolpath.top[layer]), float(source.thickest[layer])
    text = f";es layer={layer} top={top:.3f} thick={thick:.3f}\n"
    heats = source.extruders.heats[source.in_hand(layer)]
    if layer and heats[layer] != heats[layer - 1]:
        which = f" T{source.in_hand(layer)}" if len(source.extruders.used) > 1 else ""
        text += f"M104{which} S{heats[layer]:g}\n"
    return text.encode()


@dataclass(frozen=True, eq=False)
class Words:
    """The texts that stand before paths: those that begin with a role, then those of the parts.

    Attributes
    ----------
    text : (N,) uint8
        All texts.
    start : (T + 1,) int64
        Where each begins.
    longest : int
        Bytes of the longest.
    """

    text: NDArray[np.uint8]
    start: NDArray[np.int64]
    longest: int


def path_words(source: GcodeJob) -> Words:
    """Return a text for each role and, behind them, for each placed part."""
    texts = [f";es role={role} width=".encode() for role in ROLES]
    texts += [f";es part={_quoted(name)} copy={copy}\n".encode() for name, copy in source.part_names]
    sizes = [len(text) for text in texts]
    start = np.cumsum([0, *sizes]).astype(np.int64)
    return Words(np.frombuffer(b"".join(texts), np.uint8), start, max(sizes))


def fan_before(source: GcodeJob, layer: int) -> int:
    """Return how fast the fan turns when a layer begins: as on the last path before it, at first not at all."""
    last = int(source.toolpath.layer[layer]) - 1
    return int(source.fans[last]) if last >= 0 else 0
