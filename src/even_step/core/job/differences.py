"""What differs between two jobs, in a few words: what a trial's ticket says."""

from __future__ import annotations

from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.job.cascade import cascade
from even_step.core.job.model import Job, Part


def value_text(setting: Setting, value: Value) -> str:
    """Say a value as it stands on a sheet: with its unit, a switch as on or off."""
    if setting.kind == "switch":
        return "on" if value else "off"
    text = value if isinstance(value, str) else f"{value:g}"
    return f"{text} {setting.unit}" if setting.unit else text


def differences(old: Job, new: Job) -> list[str]:
    """Return what differs, the weightiest first: machine, material, recipe, settings, parts."""
    told = []
    if old.machine != new.machine:
        told.append(f"on {new.machine.name}")
    if old.materials != new.materials:
        told.append(" and ".join(material.name for material in new.materials))
    if old.recipe != new.recipe:
        told.append(f"recipe {new.recipe.name}")
    # What the recipe brings is said by its name; single settings are told where nothing larger explains them.
    if not told:
        before, after = cascade(old).values, cascade(new).values
        for key, setting in CATALOGUE.items():
            if before[key] != after[key]:
                told.append(_change(setting, before[key], after[key]))
    if old.order != new.order:
        told.append("another order of parts")
    if old.tower != new.tower:
        told.append("tower elsewhere")
    return told + _parts(old, new)


def _settings_of_parts(pairs: list[tuple[Part, Part]]) -> list[str]:
    """Tell which settings of their own parts have gained, lost or changed."""
    told = []
    for a, b in pairs:
        for key in sorted({**a.settings, **b.settings}):
            if a.settings.get(key) != b.settings.get(key):
                setting = CATALOGUE[key]
                now = value_text(setting, b.settings[key]) if key in b.settings else "as the job's"
                told.append(f"{setting.label.lower()} {now} for {b.name}")
    return told


def _zones(old: Job, new: Job, a: Part, b: Part) -> list[str]:
    """Tell which zones of a part came, went or changed: "zone bolt: walls 3 → 6"."""
    before = {zone.id: zone for zone in a.zones}
    told = [f"zone {zone.title} away" for zone in a.zones if zone.id not in {one.id for one in b.zones}]
    for zone in b.zones:
        was = before.get(zone.id)
        if was is None:
            told.append(f"zone {zone.title} new")
            continue
        values = cascade(old, a, zones=(was,)).values, cascade(new, b, zones=(zone,)).values
        keys = [key for key in CATALOGUE if key in {**was.holds, **zone.holds} and values[0][key] != values[1][key]]
        told += [f"zone {zone.title}: {_change(CATALOGUE[key], values[0][key], values[1][key])}" for key in keys]
        if was.model_dump(exclude={"name", "settings"}) != zone.model_dump(exclude={"name", "settings"}):
            told.append(f"zone {zone.title} elsewhere")
    return told or ["order of zones"]


def _change(setting: Setting, was: Value, now: Value) -> str:
    before = value_text(setting, was).removesuffix(f" {setting.unit}" if setting.unit else "\0")
    return f"{setting.label.lower()} {before} → {value_text(setting, now)}"


def _parts(was: Job, now: Job) -> list[str]:
    old, new = was.parts, now.parts
    if old == new:
        return []
    before, after = sum(len(p.copies) for p in old), sum(len(p.copies) for p in new)
    if before != after:
        count = abs(after - before)
        return [f"{count} {'part' if count == 1 else 'parts'} {'more' if after > before else 'fewer'}"]
    pairs = list(zip(old, new, strict=False))
    if any(a.settings != b.settings for a, b in pairs):
        return _settings_of_parts(pairs)
    if any(a.scale != b.scale or a.unit != b.unit for a, b in pairs):
        return ["sized"]
    if any(a.repair != b.repair for a, b in pairs):
        return ["repaired" if any(b.repair == "all" for _, b in pairs) else "repair undone"]
    if any(a.bodies != b.bodies for a, b in pairs):
        return ["other bodies"]
    if any(a.zones != b.zones for a, b in pairs):
        return [words for (a, b) in pairs if a.zones != b.zones for words in _zones(was, now, a, b)]
    if any((a.posts, a.marks) != (b.posts, b.marks) for a, b in pairs):
        return ["other posts or marks"]
    if any(a.curve != b.curve for a, b in pairs):
        return [f"step curve of {b.name}" for a, b in pairs if a.curve != b.curve]
    if any(a.mirrored != b.mirrored for a, b in pairs):
        return ["mirrored"]
    if any(a.turn != b.turn or [c.turn for c in a.copies] != [c.turn for c in b.copies] for a, b in pairs):
        return ["turned"]
    if any([c.at for c in a.copies] != [c.at for c in b.copies] for a, b in pairs):
        return ["moved"]
    return ["renamed"] if any(a.name != b.name for a, b in pairs) else ["other parts"]
