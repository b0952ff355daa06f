"""Every setting, declared once. The key is ``group.name``; the order here is the order on screen."""

from even_step.core.catalogue import (
    bridges,
    covers,
    extruder,
    foot,
    hanging,
    heat,
    holes,
    infill,
    layers,
    mesh,
    motion,
    order,
    outline,
    purge,
    skirt,
    support_lines,
    supports,
    texture,
    travel,
    trees,
    vase,
    walls,
)
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.errors import SettingError

GROUPS = (
    *(mesh, layers, outline, holes, vase, texture, walls, covers, bridges, hanging, infill, foot, skirt),
    *(supports, support_lines, trees),
    *(extruder, purge, order, motion, heat, travel),
)
CATALOGUE: dict[str, Setting] = {setting.key: setting for group in GROUPS for setting in group.ALL}
RENAMED: dict[str, str] = {old: new.key for new in CATALOGUE.values() for old in new.renamed_from}


def find_setting(key: str) -> Setting:
    """Return the setting of a key, also of a key it had before.

    Raises
    ------
    SettingError
        When there is none; keys that look alike are named.
    """
    key = RENAMED.get(key, key)
    if key in CATALOGUE:
        return CATALOGUE[key]
    tail = key.rpartition(".")[2]
    alike = [known for known in CATALOGUE if tail and tail in known][:3]
    raise SettingError(
        "there is no such setting",
        subject=key,
        remedy="did you mean " + " or ".join(alike) + "?" if alike else "./even-step settings lists them",
    )


def checked(values: dict[str, object], scope: str = "job") -> dict[str, Value]:
    """Check a table of settings by key.

    Raises
    ------
    SettingError
        For the first key that does not exist or cannot be set for this scope, or value that is refused.
    """
    for key, raw in values.items():
        setting = find_setting(_as_now(key, raw)[0])
        if scope not in setting.scopes:
            raise SettingError(f"cannot be set for a {scope} alone", subject=setting.key, remedy="set it for all")
    return dict(taken_in(key, raw) for key, raw in values.items())


def taken_in(key: str, raw: object) -> tuple[str, Value]:
    """Check a key and a value, also such as earlier versions wrote.

    Raises
    ------
    SettingError
        When the key does not exist or the value is refused.
    """
    key, raw = _as_now(key, raw)
    setting = find_setting(key)
    return setting.key, setting.value_of(raw)


def _as_now(key: str, raw: object) -> tuple[str, object]:
    """Return key and value as they are written now, for such as earlier versions wrote."""
    if key == "adhesion.kind":  # it said whether there was a skirt
        return ("skirt.loops", 0) if str(raw).strip().lower() == "none" else ("foot.kind", "bare")
    return key, raw
