"""The one table of actions: menus, keys, tooltips, find and the page of keys are drawn from it."""

from __future__ import annotations

from even_step.app.acts import files, layers, parts, slicing, views
from even_step.app.acts.action import Action

ACTIONS: tuple[Action, ...] = (*files.ACTIONS, *parts.ACTIONS, *views.ACTIONS, *slicing.ACTIONS, *layers.ACTIONS)
BY_ID = {action.id: action for action in ACTIONS}
MENUS = ("Job", "Edit", "Parts", "View", "Slice", "Layers", "Help")
