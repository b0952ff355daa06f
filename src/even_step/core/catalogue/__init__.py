"""Every setting, declared once. The key is ``group.name``; the order here is the order on screen."""

from even_step.core.catalogue import (
    adhesion,
    bridges,
    covers,
    heat,
    infill,
    layers,
    mesh,
    motion,
    outline,
    travel,
    walls,
)
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.errors import SettingError

CATALOGUE: dict[str, Setting] = {
    setting.key: setting
    for group in (mesh, layers, outline, walls, covers, bridges, infill, adhesion, motion, heat, travel)
    for setting in group.ALL
}
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


def checked(values: dict[str, object]) -> dict[str, Value]:
    """Check a table of settings by key.

    Raises
    ------
    SettingError
        For the first key that does not exist or value that is refused.
    """
    return {find_setting(key).key: find_setting(key).value_of(value) for key, value in values.items()}
