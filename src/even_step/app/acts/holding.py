"""What can be done about what hangs."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.core.catalogue import supports

KINDS = supports.KIND.choices
TRIED = tuple(kind for kind in KINDS if kind != "none")


def choose_kind(desk: Desk, kind: str) -> None:
    """Have what the sheet is about held in a way."""
    whose = desk.whose
    if whose.resolved.values["supports.kind"] == kind and not whose.differs("supports.kind"):
        return
    words = f"supports {kind}{f' for {whose.name}' if whose.parts else ''}"
    edit(desk, words, whose.set("supports.kind", kind))


def _compare(reach: Reach) -> None:
    """Slice the job with each kind, one after the other; what they share is made once."""
    reach.desk.trials.slice_with([{"supports.kind": kind} for kind in TRIED])


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
        _compare,
        can=lambda b: bool(b.desk.job.parts),
        synonyms=("sheet", "grid", "try all", "trial"),
    ),
)
