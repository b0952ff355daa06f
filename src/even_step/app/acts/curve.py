"""What can be done with a part's step curve."""

from __future__ import annotations

from even_step.app.acts.action import Action
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.core.job import edits
from even_step.core.job.step_curve import Knot

EASED = 0.02  # mm from one knot to the next where a curve is smoothed
SAID = ("variable", "adaptive", "by hand", "layer heights", "knots", "range", "pinned")


def put_knot(desk: Desk, low: float, high: float, height: float, held: str = "") -> int:
    """Put a knot on the curve of the part in hand; returns its number, −1 where there is none."""
    part = desk.curving.part
    if part is None:
        return -1
    number = len(part.curve)
    _put(desk, number, Knot(low=max(0.0, low), high=high, height=height), "knot", held)
    return number


def move_knot(desk: Desk, low: float, high: float, height: float, held: str = "") -> None:
    """Put the knot in hand elsewhere; as long as it is held all is one step."""
    _put(desk, desk.curving.number, Knot(low=max(0.0, low), high=high, height=height), "move knot", held)


def _put(desk: Desk, number: int, knot: Knot, verb: str, held: str) -> None:
    part = desk.curving.part
    if part is None:
        return
    knot = knot.model_copy(update={"low": round(knot.low, 2), "high": round(knot.high, 2)})
    change, words = (lambda job: edits.with_knot(job, part.id, number, knot)), f"{verb} of {part.name}"
    edit(desk, words, change, f"knot {part.id} {number}", held=held)


def remove_knot(desk: Desk, number: int) -> None:
    """Take a knot away."""
    part = desk.curving.part
    if part is not None and 0 <= number < len(part.curve):
        edit(desk, f"knot away from {part.name}", lambda job: edits.without_knot(job, part.id, number))
        desk.curving.take(-1)


def smooth_curve(desk: Desk) -> None:
    """Let heights go over from knot to knot in small steps."""
    part = desk.curving.part
    if part is not None:
        edit(desk, f"smooth curve of {part.name}", lambda job: edits.smoothed(job, part.id, EASED))


def reset_curve(desk: Desk) -> None:
    """Take all knots away."""
    part = desk.curving.part
    if part is not None:
        edit(desk, f"no curve for {part.name}", lambda job: edits.without_curve(job, part.id))
        desk.curving.take(-1)


def show_curve(desk: Desk) -> None:
    """Open the curve over the ruler, or close it."""
    opens = desk.view.station != "Recipe" or not desk.curving.opened
    desk.view.set("station", "Recipe")
    desk.curving.open(opened=opens)


def _has_part(reach: Reach) -> bool:
    return reach.desk.curving.part is not None


def _has_knots(reach: Reach) -> bool:
    part = reach.desk.curving.part
    return part is not None and bool(part.curve)


ACTIONS = (
    Action(
        "curve.open",
        "Step curve",
        "View",
        lambda reach: show_curve(reach.desk),
        ("Ctrl+L",),
        can=_has_part,
        synonyms=SAID,
    ),
    Action(
        "curve.smooth",
        "Smooth the step curve",
        "Parts",
        lambda reach: smooth_curve(reach.desk),
        can=_has_knots,
        synonyms=SAID,
    ),
    Action(
        "curve.reset",
        "Take the step curve back",
        "Parts",
        lambda reach: reset_curve(reach.desk),
        can=_has_knots,
        synonyms=SAID,
    ),
)
