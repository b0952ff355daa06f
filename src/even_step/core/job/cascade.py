"""Which value holds: catalogue, machine, material, recipe, job, part, its zones; the later one wins."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.errors import SettingError
from even_step.core.job.model import Job, Machine, Part
from even_step.core.job.zones import Zone
from even_step.core.toolpath.roles import TOOLS

WIDEST = 3.0  # bores; no line is laid wider
WIDTH_KEYS = tuple(key for key, setting in CATALOGUE.items() if setting.limit == "line_width")


@dataclass(frozen=True)
class Resolved:
    """The value of every setting, where it comes from, and what it overrode.

    ``origin`` holds ``default``, ``machine``, ``material``, ``recipe``, ``job``, ``part`` or ``zone``; ``under`` the
    value that would hold without the last word.
    """

    values: Mapping[str, Value]
    origin: Mapping[str, str]
    under: Mapping[str, Value]


@dataclass(frozen=True)
class Scopes:
    """What holds where, worked out once: for the whole job and for each part by its id, by extruder.

    An extruder's material has its say between the machine and the recipe.
    """

    whole: tuple[Resolved, ...]
    parts: Mapping[str, tuple[Resolved, ...]]

    @property
    def job(self) -> Resolved:
        """What holds for the whole job, with the first extruder."""
        return self.whole[0]

    def of(self, part: Part) -> tuple[Resolved, ...]:
        """Return what holds for a part, by extruder."""
        return self.parts[part.id]


def resolve(job: Job) -> Scopes:
    """Resolve every setting of a job and of its parts.

    Raises
    ------
    SettingError
        When a value lies outside what the machine can do, with the machine's range.
    """
    count = range(len(job.materials))
    whole = tuple(cascade(job, None, extruder) for extruder in count)
    for extruder in used_extruders(job):
        for complaint in complaints(job, whole[extruder], extruder).values():
            raise complaint
    for complaint in complaints_of_parts(job):
        raise complaint
    parts = {
        part.id: tuple(cascade(job, part, extruder) for extruder in count) if part.settings else whole
        for part in job.parts
    }
    return Scopes(whole, parts)


def tools_of(values: Mapping[str, Value]) -> dict[str, int]:
    """Return which extruder lays what, counted from 0; supports ask for none of their own where there are none."""
    idle = ("supports", "contact") if values["supports.kind"] == "none" else ()
    keys = {tool: "extruder.walls" if tool in idle else f"extruder.{tool}" for tool in TOOLS}
    return {tool: int(values[key]) - 1 for tool, key in keys.items()}


def bed_heat(tables: Iterable[Resolved]) -> float:
    """Return how warm the bed is kept for materials that lie on it together, °C: as the one that wants it warmest."""
    return max(float(table.values["heat.bed"]) for table in tables)


def used_extruders(job: Job) -> list[int]:
    """Return which extruders a job asks for, as far as there are materials for them; the first where it asks for none.

    Only materials in use count: what lies in another extruder is neither checked nor heated.
    """
    tables = [cascade(job, part).values for part in job.parts] or [cascade(job).values]
    asked = {number for values in tables for number in tools_of(values).values()}
    return sorted(number for number in asked if number < len(job.materials)) or [0]


def complaints_of_parts(job: Job) -> list[SettingError]:
    """Return what is wrong with values that parts have of their own."""
    found = []
    for part in job.parts:
        wanted = tools_of(cascade(job, part).values).values() if part.settings else ()
        extruders = sorted({min(number, len(job.materials) - 1) for number in wanted}, reverse=True)
        by_key: dict[str, SettingError] = {}
        for extruder in extruders:
            by_key |= complaints(job, cascade(job, part, extruder), extruder)
        for wrong in by_key.values():
            told = f"{wrong.message} (for {part.name} alone)"
            found.append(SettingError(told, subject=wrong.subject, remedy=wrong.remedy))
        found += _complaints_of_zones(job, part)
    return found


def cascade(job: Job, part: Part | None = None, extruder: int = 0, zones: Iterable[Zone] = ()) -> Resolved:
    """Return every setting's value for the job or a part laid with an extruder, and where it comes from.

    Within some zones of the part, if any. Whether or not the machine can do it.
    """
    values = {key: setting.default for key, setting in CATALOGUE.items()}
    origin = dict.fromkeys(CATALOGUE, "default")
    under = dict(values)
    layers = (
        ("machine", job.machine.settings),
        ("material", job.materials[extruder].settings),
        ("recipe", job.recipe.settings),
        ("job", job.settings),
        ("part", part.settings if part else {}),
        *(("zone", zone.holds) for zone in zones),
    )
    for name, table in layers:
        for key, value in table.items():
            under[key], values[key], origin[key] = values[key], value, name
    return Resolved(values, origin, under)


def _complaints_of_zones(job: Job, part: Part) -> Iterator[SettingError]:
    known: dict[str, list[SettingError]] = {}  # zones are often copies of one another
    for zone in part.zones:
        says = repr((sorted(zone.settings.items()), sorted(zone.holds.items())))
        if says not in known:
            known[says] = list(_complaints_of_zone(job, part, zone))
        for wrong in known[says]:
            told = f"{wrong.message} (in zone {zone.title} of {part.name})"
            yield SettingError(told, subject=wrong.subject, remedy=wrong.remedy)


def _complaints_of_zone(job: Job, part: Part, zone: Zone) -> Iterator[SettingError]:
    values = cascade(job, part, zones=(zone,)).values
    for extruder in sorted({min(number, len(job.materials) - 1) for number in tools_of(values).values()}):
        found = complaints(job, cascade(job, part, extruder, (zone,)), extruder)
        yield from (wrong for key, wrong in found.items() if key in zone.settings)


def complaints(job: Job, resolved: Resolved, extruder: int = 0) -> dict[str, SettingError]:
    """Return what is wrong with values that an extruder cannot do, or that do not go together, by key."""
    found: dict[str, SettingError] = {}
    for key, setting in CATALOGUE.items():
        if not _in_use(key, resolved.values) or not _laid_by(setting, resolved.values, extruder):
            continue
        wrong = _beyond_limit(setting, resolved.values[key], job.machine, extruder)
        if wrong:
            found[key] = wrong
    narrow = _narrow_lines(resolved.values) | _empty_extruders(job, resolved.values) | _tower_in_the_way(job, resolved)
    return found | {key: wrong for key, wrong in narrow.items() if key not in found}


def tool_of(setting: Setting) -> str:
    """Return which of the settings ``extruder.*`` says who lays the lines whose width a setting is."""
    return {"infill": "infill", "top": "covers", "bottom": "covers", "supports": "supports"}.get(setting.group, "walls")


def _laid_by(setting: Setting, values: Mapping[str, Value], extruder: int) -> bool:
    """Tell whether a setting is an extruder's business: the width of a line only that of the one that lays it."""
    return setting.limit != "line_width" or tools_of(values)[tool_of(setting)] == extruder


def _in_use(key: str, values: Mapping[str, Value]) -> bool:
    """Tell whether a setting of a foot or of supports has a say: what is not laid needs no room."""
    kind = values["foot.kind"]
    if key == "foot.line_width":
        return kind != "bare"
    if key.startswith("supports."):
        return values["supports.kind"] != "none" or key == "supports.kind"
    return kind == "raft" or not key.startswith(("foot.raft_", "foot.over_raft_"))


def _empty_extruders(job: Job, values: Mapping[str, Value]) -> dict[str, SettingError]:
    """An extruder lays something only where it has a material."""
    there = len(job.materials)
    return {
        f"extruder.{tool}": SettingError(
            f"there is no material in extruder {number + 1}",
            subject=f"extruder.{tool}",
            remedy=f"1 to {there}, or give it a material" if there > 1 else "give it a material",
        )
        for tool, number in tools_of(values).items()
        if number >= there
    }


def _tower_in_the_way(job: Job, resolved: Resolved) -> dict[str, SettingError]:
    """A tower grows with all parts at once, so there is none where they are laid one by one."""
    values = resolved.values
    if values["order.parts"] == "together" or values["purge.kind"] == "none" or len(used_extruders(job)) < 2:
        return {}
    words = "a purge tower cannot grow where parts are laid one by one"
    return {"order.parts": SettingError(words, subject="order.parts", remedy="together, or purge.kind none")}


def limit_of(setting: Setting, machine: Machine, extruder: int = 0) -> tuple[float, float] | None:
    """Return the machine's own range for a setting with one of its extruders, in the setting's unit, or none."""
    nozzle = machine.extruders[extruder]
    fastest = max(machine.motion.speed[:2])
    limits: dict[str, tuple[float, float]] = {
        "layer_height": nozzle.layer_height,
        "line_width": (nozzle.line_width[0], max(nozzle.line_width[1], WIDEST * nozzle.bore)),
        "speed": (0.0, fastest),
        "acceleration": (0.0, max(machine.motion.acceleration[:2])),
        "nozzle_temperature": (0.0, machine.heating.nozzle_limit),
        "bed_temperature": (0.0, machine.heating.bed_limit),
    }
    return limits.get(setting.limit)


def _beyond_limit(setting: Setting, value: Value, machine: Machine, extruder: int) -> SettingError | None:
    limit = limit_of(setting, machine, extruder)
    if limit is None or limit[0] <= float(value) <= limit[1]:
        return None
    return SettingError(
        f"{value:g} {setting.unit} is outside what {machine.name} can do with its "
        f"{machine.extruders[extruder].bore:g} mm nozzle",
        subject=setting.key,
        remedy=f"{limit[0]:g} to {limit[1]:g} {setting.unit}",
    )


def _narrow_lines(values: Mapping[str, Value]) -> dict[str, SettingError]:
    """A line is laid flat: it can be no narrower than it is high."""
    layers = ["layers.height", "layers.first_height"]
    of_raft = ["foot.raft_base_height", "foot.raft_height"] if values["foot.kind"] == "raft" else []
    found = {}
    for key in (one for one in WIDTH_KEYS if _in_use(one, values)):
        height = max(float(values[one]) for one in (layers + of_raft if key == "foot.line_width" else layers))
        if float(values[key]) < height:
            found[key] = SettingError(
                f"a line {values[key]:g} mm wide cannot be {height:g} mm high",
                subject=key,
                remedy=f"at least {height:g} mm, or thinner layers",
            )
    return found
