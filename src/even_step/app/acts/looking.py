"""Going from finding to finding and from pin to pin, by key."""

from __future__ import annotations

from collections.abc import Callable

from even_step.app.acts.action import Action
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.line_in_hand import line_in_hand, spot_of_path
from even_step.app.pinning import next_pin, pin_at, seen_pins
from even_step.app.reach import Reach
from even_step.app.told import next_finding, told_findings
from even_step.core.job import edits


def _finding(by: int) -> Callable[[Reach], None]:
    return lambda reach: next_finding(reach.desk, by)


def _has_findings(reach: Reach) -> bool:
    return bool(told_findings(reach.desk))


def _pin(by: int) -> Callable[[Reach], None]:
    return lambda reach: next_pin(reach.desk, by)


def _has_pins(reach: Reach) -> bool:
    return bool(seen_pins(reach.desk))


def put_pin(desk: Desk) -> None:
    """Put a pin where a line was asked, or else where the path in hand ends."""
    asked, trial = desk.asked_line, desk.trials.shown
    found = (asked.path, asked.place) if asked.path >= 0 else line_in_hand(trial, desk.view)
    if trial is None or found is None:
        return
    spot = spot_of_path(trial, found[0])
    pin = pin_at(desk, spot.part if spot else "", spot.copy if spot else "", found[1])
    edit(desk, "pin", lambda job: edits.with_pin(job, pin))
    desk.view.set("pin", len(desk.job.pins) - 1)


WORDS = ("problem", "warning", "fault")
PIN = ("bookmark", "place", "look again", "spot")
ACTIONS = (
    Action("findings.next", "Next finding", "Layers", _finding(1), ("F8",), can=_has_findings, synonyms=WORDS),
    Action(
        "findings.before", "Finding before", "Layers", _finding(-1), ("Shift+F8",), can=_has_findings, synonyms=WORDS
    ),
    Action("pins.next", "Next pin", "Layers", _pin(1), ("F9",), can=_has_pins, synonyms=PIN),
    Action("pins.before", "Pin before", "Layers", _pin(-1), ("Shift+F9",), can=_has_pins, synonyms=PIN),
    Action(
        "pins.put",
        "Pin the line that is asked or in hand",
        "Layers",
        lambda b: put_pin(b.desk),
        ("Ctrl+F9",),
        can=lambda b: b.desk.view.station == "Layers" and b.desk.trials.shown is not None,
        synonyms=PIN,
    ),
)
