"""Why a line is as it is: what made its width, height, speed, flow and fan, and which setting says so."""

from __future__ import annotations

import numpy as np

from even_step.core.catalogue import covers, foot, infill, layers, skirt, support_lines, walls
from even_step.core.catalogue.setting import Setting, settings_read_by
from even_step.core.job.cascade import Resolved, cascade
from even_step.core.line_story import LineStory, Reason
from even_step.core.motion.fan import A_PERCENT, FanSettings, path_fans
from even_step.core.motion.speeds import LineSettings
from even_step.core.pipeline import Sliced
from even_step.core.toolpath.courses import ALL_HELD
from even_step.core.toolpath.roles import BRIDGE, INNER_WALL, OUTER_WALL, TABLE, Role

NEAR = 3.0  # mm, from a line to the place of a finding it belongs to
#: Which setting says how wide lines of a role are drawn.
WIDTHS: dict[str, Setting] = {
    "outer-wall": walls.OUTER_WIDTH,
    "inner-wall": walls.LINE_WIDTH,
    "gap-fill": walls.LINE_WIDTH,
    "top": covers.TOP_WIDTH,
    "bottom": covers.BOTTOM_WIDTH,
    "solid": covers.SOLID_WIDTH,
    "infill": infill.LINE_WIDTH,
    "support": support_lines.LINE_WIDTH,
    "support-contact": support_lines.LINE_WIDTH,
    "skirt": skirt.LINE_WIDTH,
    "brim": foot.LINE_WIDTH,
    "raft": foot.LINE_WIDTH,
}


def line_story(sliced: Sliced, path: int, at: tuple[float, float]) -> LineStory:
    """Tell why a path of a slice is as it is at a place on the bed, mm."""
    tool = sliced.toolpath
    role, copy = TABLE[tool.role[path]], int(tool.part[path])
    layer = int(tool.layer_of_path()[path])
    placed = sliced.placed[copy] if copy >= 0 else None
    part = next((one for one in sliced.job.parts if placed and one.id == placed.part), None)
    own = int(tool.own[path])
    zones = []
    if placed is not None and part is not None and own >= 0 and role.owner == "part":
        held = sliced.solids[placed.solid].zones_at(own, (at[0] - placed.at[0], at[1] - placed.at[1]))
        zones = [part.zones[number] for number in held]
    resolved = cascade(sliced.job, part, int(tool.extruder[path]), zones)
    reasons = (
        _width(sliced, path, role, resolved),
        _height(sliced, path, role, resolved),
        _speed(sliced, path, layer, resolved),
        _flow(sliced, path, layer, role, resolved),
        _fan(sliced, path, role, resolved),
        _extruder(sliced, path),
    )
    ids = placed.ids if placed else ("", "")
    near = tuple(
        number
        for number, one in enumerate(sliced.findings)
        if one.layer == layer and one.part_id == ids[0] and np.hypot(one.at_mm[0] - at[0], one.at_mm[1] - at[1]) <= NEAR
    )
    return LineStory(role.word, *ids, layer, tuple(zone.title for zone in zones), reasons, near)


def _made(what: str, value: str, why: str, setting: Setting | None, resolved: Resolved) -> Reason:
    if setting is None:
        return Reason(what, value, why)
    return Reason(what, value, why, setting.key, resolved.origin[setting.key])


def _told(setting: Setting, resolved: Resolved) -> str:
    return f"{setting.label.lower()} {resolved.values[setting.key]:g} {setting.unit}".strip()


def _width(sliced: Sliced, path: int, role: Role, resolved: Resolved) -> Reason:
    wide = float(sliced.toolpath.width[path])
    setting = WIDTHS.get(role.word)
    if sliced.toolpath.role[path] == BRIDGE:
        return Reason("width", f"{wide:.2f} mm", "a round strand over air, as thick as the nozzle's bore")
    if setting is None:
        return Reason("width", f"{wide:.2f} mm", "")
    why = _told(setting, resolved)
    if abs(wide - float(resolved.values[setting.key])) > 0.006:
        why += "; wider or narrower here, to fill what there is room for"
    return _made("width", f"{wide:.2f} mm", why, setting, resolved)


def _height(sliced: Sliced, path: int, role: Role, resolved: Resolved) -> Reason:
    tool = sliced.toolpath
    high = float(tool.height[path])
    if role.word == "raft":
        return Reason("height", f"{high:.2f} mm", "a layer of the raft")
    if tool.on_bed()[path]:
        return _made("height", f"{high:.2f} mm", _told(layers.FIRST_HEIGHT, resolved), layers.FIRST_HEIGHT, resolved)
    if role.owner == "part" and resolved.values[layers.FOLLOW_SURFACE.key]:
        step = _told(layers.STAIR_STEP, resolved)
        return _made("height", f"{high:.2f} mm", f"follows the surface: {step}", layers.STAIR_STEP, resolved)
    why = _told(layers.HEIGHT, resolved)
    if abs(high - float(resolved.values[layers.HEIGHT.key])) > 0.006:
        why += "; other here: a knot, what is left at the top, or layers laid at once"
    return _made("height", f"{high:.2f} mm", why, layers.HEIGHT, resolved)


Step = tuple[float, str, Setting | None]


def speed_steps(sliced: Sliced, path: int, layer: int) -> list[Step]:
    """Return what a path is to be laid with, mm/s, and each limit that slows it, why, and the setting that says so.

    The same limits in the same order as ``path_speeds``, then the pace of the layer.
    """
    tool, pace = sliced.toolpath, float(sliced.plan.pace[layer])
    one, role = sliced.lines.records[int(sliced.lines.of_paths(tool)[path])], TABLE[tool.role[path]]
    named = settings_read_by(LineSettings)
    steps: list[Step] = [(float(getattr(one, role.speed)), named[role.speed].label.lower(), named[role.speed])]

    def slow(limit: float, why: str, setting: Setting | None) -> None:
        if limit < steps[-1][0] - 1e-9:
            steps.append((limit, why, setting))

    held = int(tool.held[path])
    if held < ALL_HELD:
        own, share = steps[0][0], min(held / max(one.hangs_from / 10.0, 1e-9), 1.0)
        if share < 1.0 and own != one.bridge_speed:
            toward = one.bridge_speed + (own - one.bridge_speed) * share
            steps.append((toward, "because it hangs", named["bridge_speed"]))
    length = float(tool.lengths()[path])
    if tool.role[path] in {OUTER_WALL, INNER_WALL} and length <= one.small_loop and tool.closed()[path]:
        slow(one.small_speed, f"in a loop of {length:.0f} mm", named["small_speed"])
    if tool.on_bed()[path]:
        slow(one.first_speed, "in the first layer", named["first_speed"])
    elif tool.own[path] == 0:
        slow(one.over_raft_speed, "over the raft", named["over_raft_speed"])
    area = max(float(sliced.plan.speeds.area[path]), 1e-9)
    slow(one.melt_limit / area, f"so that no more than {one.melt_limit:g} mm³/s melts", None)
    if pace < 1.0 - 1e-9:
        slow(steps[-1][0] * pace, "so that the layer takes long enough", named["least_layer_time"])
    return steps


def _speed(sliced: Sliced, path: int, layer: int, resolved: Resolved) -> Reason:
    actual = float(sliced.plan.speeds.feed[path] / 60.0 * sliced.plan.pace[layer])
    (wanted, name, _), *limits = speed_steps(sliced, path, layer)
    told = [f"{name} {wanted:g} mm/s", *(f"{value:.3g} mm/s {why}" for value, why, _ in limits)]
    decides = limits[-1][2] if limits else settings_read_by(LineSettings)[TABLE[sliced.toolpath.role[path]].speed]
    return _made("speed", f"{actual:.1f} mm/s", ", ".join(told), decides, resolved)


def _flow(sliced: Sliced, path: int, layer: int, role: Role, resolved: Resolved) -> Reason:
    tool, plan = sliced.toolpath, sliced.plan
    one = sliced.lines.records[int(sliced.lines.of_paths(tool)[path])]
    named = settings_read_by(LineSettings)
    rate = float(plan.speeds.feed[path] / 60.0 * plan.pace[layer] * plan.speeds.area[path])
    told = [f"{named['flow'].label.lower()} {one.flow:g} %"]
    decides = named["flow"]
    if tool.on_bed()[path]:
        told.append(f"{named['first_flow'].label.lower()} {one.first_flow:g} %")
        decides = named["first_flow"]
    if role.flow in named:
        told.append(f"{named[role.flow].label.lower()} {getattr(one, role.flow):g} %")
        decides = named[role.flow]
    if tool.role[path] == BRIDGE:
        told.append(f"{named['bridge_flow'].label.lower()} {one.bridge_flow:g} %")
        decides = named["bridge_flow"]
    return _made("flow", f"{rate:.2f} mm³/s", ", ".join(told), decides, resolved)


def _fan(sliced: Sliced, path: int, role: Role, resolved: Resolved) -> Reason:
    tool = sliced.toolpath
    one = sliced.fans.records[int(sliced.fans.of_paths(tool)[path])]
    named = settings_read_by(FanSettings)
    actual = float(path_fans(tool, sliced.fans)[path]) / A_PERCENT
    wanted, decides = float(getattr(one, role.fan)), named[role.fan]
    why = f"{decides.label.lower()} {wanted:g} %"
    if tool.held[path] < ALL_HELD and actual > 0:
        why, decides = f"{why}, toward {one.bridge_fan:g} % because it hangs", named["bridge_fan"]
    elif abs(actual - wanted) > 0.5 and role.fan == "fan":
        why, decides = f"off before layer {one.from_layer + 1} of the part", named["from_layer"]
    return _made("fan", f"{actual:.0f} %", why, decides, resolved)


def _extruder(sliced: Sliced, path: int) -> Reason:
    number = int(sliced.toolpath.extruder[path])
    used = sliced.job.materials[min(number, len(sliced.job.materials) - 1)]
    return Reason("extruder", f"{number + 1}", used.name)
