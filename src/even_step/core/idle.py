"""Settings that something else leaves without effect: which, why, and what would give them one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from even_step.core.catalogue import CATALOGUE, trees
from even_step.core.catalogue.infill import ignored_by
from even_step.core.catalogue.setting import Value
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
    # Layers that follow the surface are thin enough somewhere, or not; nothing tells where.
    fixed = not values["layers.follow_surface"]
    return fixed and 2 * float(values["layers.height"]) > STACKED * bore + 1e-9


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
SUPPORTS = (
    # From which angle on something hangs is told, and found, without supports too.
    *(key for key in CATALOGUE if key.startswith("supports.") and key not in ("supports.kind", "supports.angle")),
    *("extruder.supports", "extruder.contact"),
)
RULES = (
    Idle(
        ("layers.height",),
        lambda values, _: bool(values["layers.follow_surface"]),
        "layers follow the surface",
        "take Follow the surface off, or set the thinnest and the thickest layer",
    ),
    Idle(
        ("layers.stair_step", "layers.ease"),
        _nothing("layers.follow_surface"),
        "layers do not follow the surface",
        "let layers follow the surface",
    ),
    Idle(
        (
            "infill.density",
            *INFILL,
            *("top.layers", "top.thickness", "walls.more_on_slopes"),
        ),
        lambda values, _: bool(values["vase.on"]),
        "over its bottom a vase is one line alone",
        "take vase mode off",
    ),
    Idle(
        ("texture.spacing", "texture.opening_width", "texture.tops"),
        _nothing("texture.depth"),
        "there is no texture",
        "give the texture a depth",
    ),
    Idle(("vase.outer_loop",), _nothing("vase.on"), "the part is no vase", "turn vase mode on"),
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
        ("walls.order", "walls.seam", "walls.lone_line", "walls.more_on_slopes"),
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
    Idle(SUPPORTS, lambda values, _: values["supports.kind"] == "none", "there are no supports", "choose supports"),
    Idle(
        tuple(setting.key for setting in trees.ALL),
        lambda values, _: values["supports.kind"] != "tree",
        "only for tree",
        "choose tree supports",
    ),
    Idle(
        tuple(
            f"supports.{name}"
            for name in ("least_layers", "margin", "margin_goes", "merge_within", "slim_width", "outline", "gap_wins")
        ),
        lambda values, _: values["supports.kind"] == "tree",
        "only for sheet and grid",
        "choose sheet or grid supports",
    ),
    Idle(
        tuple(f"supports.{name}" for name in ("line_distance", "density", "direction", "grading")),
        lambda values, _: values["supports.kind"] == "tree" and not values["supports.branch_filled"],
        "branches are hollow",
        "fill branches, or choose sheet or grid supports",
    ),
    Idle(
        ("supports.line_distance",),
        lambda values, _: float(values["supports.density"]) > 0.0,
        "the support density says how far apart lines are",
        "set the support density to 0",
    ),
    Idle(
        ("supports.grading_depth",),
        _nothing("supports.grading"),
        "supports are equally dense everywhere",
        "give them steps of sparseness",
    ),
    Idle(
        tuple(f"supports.contact_{name}" for name in ("density", "pattern", "turn", "speed", "fan")),
        lambda values, _: not values["supports.contact_layers"] and not values["supports.contact_layers_below"],
        "supports have no contact layers",
        "give them contact layers",
    ),
    Idle(
        ("supports.contact_turn",),
        lambda values, _: values["supports.contact_pattern"] == "concentric",
        "concentric lines have no direction",
        "choose lines or a grid for contact layers",
    ),
    Idle(
        ("supports.margin_goes",),
        _nothing("supports.margin"),
        "supports have no margin",
        "give them a margin",
    ),
    Idle(
        ("supports.least_beside",),
        lambda values, _: values["supports.gap_wins"] == "beside",
        "under slopes the gap beside is kept",
        "keep the gap above under slopes",
    ),
    Idle(("supports.gap_raft",), lambda values, _: values["foot.kind"] != "raft", "there is no raft", "choose a raft"),
    Idle(
        ("supports.gap_below", "supports.contact_layers_below", "supports.step"),
        lambda values, _: values["supports.from"] == "bed",
        "supports stand on the bed only",
        "let supports stand everywhere",
    ),
    Idle(
        ("supports.layers_at_once",),
        lambda values, bore: 2 * float(values["layers.height"]) > bore,
        "two layers are higher than the nozzle lays at once",
        "thinner layers or a wider nozzle",
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


def idle(key: str, values: Values, bore: float) -> Idle | None:
    """Return why a setting has no effect with some values and a nozzle's bore, mm; nothing where it has."""
    return next((rule for rule in RULES if key in rule.keys and rule.when(values, bore)), None)
