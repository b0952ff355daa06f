"""What G-code says beside its moves: the head, the machine's own code, layers, parts and roles."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from even_step import __version__
from even_step.core.catalogue.setting import Value
from even_step.core.errors import JobError
from even_step.core.job.cascade import Resolved
from even_step.core.job.model import Job
from even_step.core.motion.plan import MotionPlan
from even_step.core.motion.speeds import MotionSettings
from even_step.core.toolpath.roles import ROLES
from even_step.core.toolpath.toolpath import Toolpath

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
    fans : (P,) int64
        How fast the fan turns on each path, 0 to 255.
    """

    job: Job
    resolved: Resolved
    toolpath: Toolpath
    plan: MotionPlan
    settings: MotionSettings
    part_names: tuple[tuple[str, int], ...]
    mass_g: float
    changed: dict[str, object]
    fans: NDArray[np.int64]

    @cached_property
    def heats(self) -> list[Value]:
        """How hot the nozzle is in each layer: as for first layers until the last part has its own, °C."""
        values, courses = self.resolved.values, self.toolpath.courses
        turn = np.cumsum(courses.clear > 0)  # parts that are laid one by one each begin anew
        last = np.full(int(turn.max(initial=0)) + 1, -1)
        firsts = courses.layer[courses.on_bed()]
        np.maximum.at(last, turn[firsts], firsts)
        first = np.arange(len(turn)) <= last[turn]
        return [values["heat.first_nozzle" if hot else "heat.nozzle"] for hot in first]

    @cached_property
    def thickest(self) -> NDArray[np.float64]:
        """Thickness of the thickest lines of each layer, (L,), mm."""
        return self.toolpath.courses.thickest()


def _plain(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


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
        *(f"material={_quoted(material.name)} extruder={i}" for i, material in enumerate(job.materials)),
        f"layers={source.toolpath.layers} time_s={source.plan.total:.1f} mass_g={source.mass_g:.2f}",
        f"limit_speed={_numbers(limits.speed)} limit_acceleration={_numbers(limits.acceleration)} "
        f"junction={limits.junction_deviation:g}",
        f"bed={bed.shape} bounds={_numbers(bed.bounds)} height={machine.height:g} "
        f"filament={machine.filament_diameter:g}",
        *(f"{key}={_plain(value)}" for key, value in sorted(source.changed.items())),
        *(
            f"own={_quoted(part.name)} {key}={_plain(value)}"
            for part in job.parts
            for key, value in sorted(part.settings.items())
        ),
    ]
    own = _own_code(machine.start, source.resolved)
    text = "".join(f";es {line}\n" for line in lines) + f";es start\n{own};es end\n"
    text += "G90\nM83\n" + ("T0\n" if len(machine.extruders) > 1 else "") + "G92 E0\n"
    text += f"M204 T{source.settings.travel_acceleration:.0f}\nM107\n"
    return text.encode("ascii", "replace")


def tail(source: GcodeJob) -> bytes:
    """Return what comes after the last layer."""
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


def layer_head(source: GcodeJob, layer: int) -> bytes:
    """Return comments and the machine's state at the beginning of a layer."""
    top, thick = float(source.toolpath.top[layer]), float(source.thickest[layer])
    text = f";es layer={layer} top={top:.3f} thick={thick:.3f}\n"
    if layer and source.heats[layer] != source.heats[layer - 1]:
        text += f"M104 S{_plain(source.heats[layer])}\n"
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
