"""The one table of actions: menus, keys, tooltips, find and the page of keys are drawn from it."""

from __future__ import annotations

from even_step.app.acts import (
    beds,
    bodies,
    curve,
    cutting,
    files,
    holding,
    layers,
    lining,
    looking,
    own,
    parts,
    slicing,
    trials,
    views,
    zones,
)
from even_step.app.acts.action import Action

ROOMS = (
    files,
    parts,
    own,
    zones,
    lining,
    bodies,
    beds,
    curve,
    views,
    slicing,
    trials,
    holding,
    layers,
    cutting,
    looking,
)
ACTIONS: tuple[Action, ...] = tuple(action for room in ROOMS for action in room.ACTIONS)
BY_ID = {action.id: action for action in ACTIONS}
MENUS = ("Job", "Edit", "Parts", "View", "Slice", "Layers", "Help")
