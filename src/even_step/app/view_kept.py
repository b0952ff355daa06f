"""What of the view returns at the next start: how much of the recipe is shown, and how layers are looked at."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any, get_args

from PySide6.QtCore import QSettings

from even_step.app.playing import PACES
from even_step.app.view import View
from even_step.core.catalogue.setting import Level
from even_step.core.channels import CHANNELS
from even_step.core.toolpath.roles import ROLES

NAME = "view"


def _is_switch(value: object) -> bool:
    return isinstance(value, bool)


#: Each piece, and whether a value that was kept is one.
KEPT: Mapping[str, Callable[[Any], bool]] = {
    "level": lambda value: value in get_args(Level),
    "colour_by": lambda value: value in CHANNELS and value != "only",  # there is no second trial yet
    "hidden_roles": lambda value: isinstance(value, list) and all(one in ROLES for one in value),
    "marks": _is_switch,
    "ghosts": _is_switch,
    "code": _is_switch,
    "pace": lambda value: value in PACES and not isinstance(value, bool),
}


def keep_view(view: View, settings: QSettings) -> None:
    """Keep the view for the next start."""
    pieces = {name: getattr(view, name) for name in KEPT}
    settings.setValue(NAME, json.dumps(pieces, default=sorted))


def take_up_view(view: View, settings: QSettings) -> None:
    """Show what was kept; what cannot be read, or is none of it, is as usual."""
    try:
        kept = json.loads(str(settings.value(NAME, "{}")))
    except json.JSONDecodeError:
        return
    for name, holds in KEPT.items() if isinstance(kept, dict) else ():
        if name in kept and holds(kept[name]):
            view.set(name, frozenset(kept[name]) if name == "hidden_roles" else kept[name])
