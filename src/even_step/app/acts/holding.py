"""What can be done about what hangs."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.acts.placing import edit
from even_step.app.acts.slicing import why_not
from even_step.app.desk import Desk
from even_step.core.catalogue import supports

KINDS = supports.KIND.choices
_TRIED = tuple(kind for kind in KINDS if kind != "none")


def choose_kind(desk: Desk, kind: str) -> None:
    """Have what the sheet is about held in a way."""
    whose = desk.whose
    if whose.resolved.values["supports.kind"] == kind and not whose.differs("supports.kind"):
        return
    words = f"supports {kind}{f' for {whose.name}' if whose.parts else ''}"
    edit(desk, words, whose.set("supports.kind", kind))


def compare_kinds(desk: Desk) -> None:
    """Slice the job with each kind, one after the other; what they share is made once."""
    reason = why_not(desk)
    if reason:
        desk.note(f"Nothing to compare yet: {reason}.")
    else:
        desk.trials.slice_with([{"supports.kind": kind} for kind in _TRIED])


ACTIONS = (
    *(
        Action(
            f"supports.{kind}",
            f"Supports: {kind}",
            "Slice",
            lambda b, kind=kind: choose_kind(b.desk, kind),  # type: ignore[misc]
            synonyms=("overhang", "hold"),
        )
        for kind in KINDS
    ),
    Action(
        "supports.compare",
        "Compare kinds of supports",
        "Slice",
        lambda b: compare_kinds(b.desk),
        can=lambda b: not why_not(b.desk),
        synonyms=("sheet", "grid", "try all", "trial"),
    ),
)
