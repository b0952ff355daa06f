"""Settings that the job changes although something else it chooses leaves them without effect."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from even_step.core.catalogue import find_setting
from even_step.core.catalogue.setting import Value
from even_step.core.findings.finding import NOBODY, Evidence, Finding, PlacedPart, SlicedSolid
from even_step.core.plane import region
from even_step.core.slicing.infill.infill import ignored_by
from even_step.core.slicing.storeys import STACKED

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
RAFT = (
    "foot.over_raft_speed",
    *(
        f"foot.raft_{name}"
        for name in ("margin", "gap", "base_layers", "middle_layers", "layers", "base_height", "height", "density")
    ),
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
        tuple(f"foot.{name}" for name in ("brim_side", "brim_width", "brim_gap", "brim_up_to")),
        lambda values, _: values["foot.kind"] != "brim",
        "there is no brim",
        "choose a brim for the foot",
    ),
    Idle(
        RAFT,
        lambda values, _: values["foot.kind"] != "raft",
        "there is no raft",
        "choose a raft for the foot",
    ),
    Idle(("foot.line_width",), lambda values, _: values["foot.kind"] == "bare", "there is no foot", "choose a foot"),
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
    """Tell each setting that the job or a part changes from its default and that has no effect there."""
    solids = evidence.first_of_each()
    told: list[Finding] = []
    first = {part.part: part for part in reversed(evidence.placed)}
    # What the job changes may have its effect in one part alone.
    everywhere = [solid.settings for _, solid in solids] or [evidence.settings]
    told += _idle(evidence, None, evidence.job.settings, everywhere)
    for one in evidence.job.parts:
        placed = first[one.id]
        told += _idle(evidence, placed, one.settings, [evidence.solids[placed.solid].settings])
    for part, solid in solids:
        if solid.settings["infill.grading"] != "none" and not _idle_for(
            "infill.grading", [solid.settings], evidence.bore
        ):
            told += _too_small_to_grade(part, solid)
    return told


def _idle_for(key: str, tables: Sequence[Values], bore: float) -> Idle | None:
    """Return why a setting has no effect in any of some tables of values."""
    rules = [[rule for rule in RULES if key in rule.keys and rule.when(values, bore)] for values in tables]
    return rules[0][0] if rules and all(rules) else None


def _idle(evidence: Evidence, placed: PlacedPart | None, changed: Values, tables: Sequence[Values]) -> list[Finding]:
    """Tell what of the settings of the job, or of a part's own, has no effect in any of some tables of values."""
    title, at, ids = (placed.name, placed.at, placed.ids) if placed else ("", (0.0, 0.0), NOBODY)
    found = []
    for key in dict.fromkeys(key for rule in RULES for key in rule.keys):
        if key not in changed or changed[key] == find_setting(key).default:
            continue
        idle = _idle_for(key, tables, evidence.bore)
        if idle:
            message = f"{find_setting(key).label} has no effect: {idle.because}"
            found.append(Finding("setting-idle", "note", title, -1, 0.0, at, 0.0, "", message, idle.remedy, *ids))
    return found


def _too_small_to_grade(part: PlacedPart, solid: SlicedSolid) -> list[Finding]:
    """Tell of a part that has nowhere room for a larger cell."""
    depth = float(solid.settings["infill.grading_depth"])
    deep = region.offset(solid.covers.room, -depth) if solid.settings["infill.grading"] == "walls" else None
    tall = float(solid.mesh.bounds[1, 2])
    if not ((deep is None and tall <= depth) or (deep is not None and region.is_empty(deep).all())):
        return []
    words = f"{part.title} is too small for its infill to grow sparser: all of it lies within {depth:g} mm"
    remedy = "a smaller depth, or no grading"
    return [Finding("setting-idle", "note", part.title, -1, 0.0, part.at, depth, "mm", words, remedy, *part.ids)]
