"""The findings of the trial shown, but for those that were set aside, and which is looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from even_step.core.job.model import Job
from even_step.core.job.pins import SetAside

if TYPE_CHECKING:
    from even_step.app.desk import Desk

SEVERITIES = ("stop", "warn", "note")
Finding = dict[str, Any]


def aside_of(job: Job, finding: Finding) -> SetAside | None:
    """Return by what a finding is set aside, none where it is not; what stops a job cannot be."""
    if finding["severity"] == "stop":
        return None
    whose = finding.get("part_id", ""), finding.get("copy_id", "")
    return next((one for one in job.set_aside if one.holds(finding["code"], *whose)), None)


def told_findings(desk: Desk) -> list[int]:
    """Return the numbers of the findings that are told, the gravest first."""
    trial = desk.trials.shown
    found = trial.report["findings"] if trial else []
    told = [number for number, one in enumerate(found) if aside_of(desk.job, one) is None]
    return sorted(told, key=lambda number: SEVERITIES.index(found[number]["severity"]))


def see_finding(desk: Desk, number: int) -> None:
    """Show the layer and the place of a finding."""
    trial = desk.trials.shown
    if trial is None or trial.lines is None:
        return
    finding = trial.report["findings"][number]
    if finding["layer"] >= 0:
        desk.view.show_layers(0, int(finding["layer"]), trial.lines.count)
    desk.view.finding = -1
    desk.view.set("finding", number)


def place_of_finding(desk: Desk) -> tuple[float, float, float] | None:
    """Return where the finding looked at lies on the bed, mm; none where it is about the whole job."""
    trial, number = desk.trials.shown, desk.view.finding
    finding = trial.report["findings"][number] if trial is not None and number >= 0 else None
    return (*finding["at_mm"], finding["z_mm"]) if finding and finding["part"] else None


def next_finding(desk: Desk, by: int) -> None:
    """Look at the finding after the one looked at, or before it; after the last the first."""
    numbers = told_findings(desk)
    if numbers:
        desk.view.set("station", "Layers")
        at = numbers.index(desk.view.finding) + by if desk.view.finding in numbers else (0 if by > 0 else -1)
        see_finding(desk, numbers[at % len(numbers)])
