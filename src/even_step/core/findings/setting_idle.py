"""Settings that the job changes although something else it chooses leaves them without effect."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from even_step.core.catalogue import find_setting
from even_step.core.catalogue.setting import Value
from even_step.core.findings.finding import Evidence, Finding
from even_step.core.plane import region
from even_step.core.slicing.infill.infill import ignored_by
from even_step.core.slicing.walls import STACKED

Values = Mapping[str, Value]


@dataclass(frozen=True)
class Idle:
    """Settings, whether they are without effect, why, and what would give them one."""

    keys: tuple[str, ...]
    when: Callable[[Values, float], bool]
    because: str
    remedy: str


def _nothing(key: str) -> Callable[[Values, float], bool]:
    """Tell whether a number is 0 or a switch is off."""
    return lambda values, _: not values[key]


def _no_room_to_stack(values: Values, bore: float) -> bool:
    return 2 * float(values["layers.height"]) > STACKED * bore + 1e-9


def _ignored(key: str) -> Callable[[Values, float], bool]:
    return lambda values, _: key.removeprefix("infill.") in ignored_by(str(values["infill.pattern"]))


INFILL = tuple(
    f"infill.{name}"
    for name in (
        "pattern",
        "angle",
        "frame",
        "line_width",
        "overlap",
        "end_run",
        "layers_at_once",
        "grading",
        "grading_depth",
    )
)
RULES = (
    Idle(INFILL, _nothing("infill.density"), "there is no infill", "raise the infill density"),
    *(
        Idle((key,), _ignored(key), "this infill pattern does not use it", "choose another infill pattern")
        for key in INFILL
    ),
    Idle(
        ("infill.grading_depth",),
        lambda values, _: values["infill.grading"] == "none",
        "the infill is equally dense everywhere",
        "let the infill grow denser near walls or tops",
    ),
    Idle(
        ("infill.layers_at_once", "walls.layers_at_once"),
        _no_room_to_stack,
        "two layers are higher than the nozzle lays at once",
        "thinner layers or a wider nozzle",
    ),
    Idle(
        ("walls.line_width", "walls.layers_at_once"),
        lambda values, _: int(values["walls.count"]) < 2,
        "there are no inner walls",
        "raise the number of walls",
    ),
    Idle(
        ("walls.outer_line_width", "walls.order", "walls.seam", "walls.lone_line", "walls.more_on_slopes"),
        _nothing("walls.count"),
        "there are no walls",
        "raise the number of walls",
    ),
    Idle(
        ("skirt.distance", "skirt.least_length", "skirt.line_width"),
        _nothing("skirt.loops"),
        "there is no skirt",
        "give the skirt a loop",
    ),
    Idle(
        ("travel.way_round", "travel.inside_up_to"),
        _nothing("travel.inside"),
        "ways are not led inside the part",
        "keep ways inside the part",
    ),
    Idle(
        ("travel.retract_speed", "travel.wipe"),
        _nothing("travel.retract_length"),
        "filament is not drawn back",
        "set a retraction length",
    ),
    Idle(("cooling.fan_from_layer",), _nothing("cooling.fan"), "the fan is off", "turn the fan on"),
)


def check(evidence: Evidence) -> list[Finding]:
    """Tell each setting that the job itself changes from its default and that has no effect."""
    bore, values = evidence.job.machine.extruders[0].bore, evidence.settings
    changed = {key for key in evidence.job.settings if values[key] != find_setting(key).default}
    told: dict[str, Finding] = {}
    for rule in RULES:
        for key in rule.keys:
            if key in changed and key not in told and rule.when(values, bore):
                message = f"{find_setting(key).label} has no effect: {rule.because}"
                told[key] = Finding("setting-idle", "note", "", -1, 0.0, (0.0, 0.0), 0.0, "", message, rule.remedy)
    if not told.keys() & {"infill.grading"} and evidence.settings["infill.grading"] != "none":
        told |= _too_small_to_grade(evidence)
    return list(told.values())


def _too_small_to_grade(evidence: Evidence) -> dict[str, Finding]:
    """Tell the parts that have nowhere room for a larger cell."""
    depth = float(evidence.settings["infill.grading_depth"])
    found = {}
    for part, solid in evidence.first_of_each():
        deep = region.offset(solid.covers.room, -depth) if evidence.settings["infill.grading"] == "walls" else None
        tall = float(solid.mesh.bounds[1, 2])
        if (deep is None and tall <= depth) or (deep is not None and region.is_empty(deep).all()):
            words = f"{part.title} is too small for its infill to grow sparser: all of it lies within {depth:g} mm"
            found[f"infill.grading {part.title}"] = Finding(
                "setting-idle",
                "note",
                part.title,
                -1,
                0.0,
                part.at,
                depth,
                "mm",
                words,
                "a smaller depth, or no grading",
            )
    return found
