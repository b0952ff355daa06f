"""What can be done with the settings that parts have of their own."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.desk import Desk
from even_step.app.reach import Reach


def open_own(desk: Desk) -> None:
    """Show the settings of what is picked alone, on the recipe's sheet."""
    desk.whose.choose(desk.selection.parts)
    desk.view.set("station", "Recipe")


def _open_whole(reach: Reach) -> None:
    reach.desk.whose.choose(())
    reach.desk.view.set("station", "Recipe")


ACTIONS = (
    Action(
        "parts.own",
        "Only for this part: settings of its own",
        "Parts",
        lambda b: open_own(b.desk),
        ("Shift+S",),
        can=lambda b: bool(b.desk.selection.spots),
        synonyms=("per part", "override", "different settings", "own density"),
    ),
    Action(
        "parts.own_none",
        "Settings of the whole job",
        "Parts",
        _open_whole,
        can=lambda b: bool(b.desk.whose.parts),
    ),
)
