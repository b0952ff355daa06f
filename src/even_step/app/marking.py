"""The marks beside stations and parts: changed, caution, stop, each with its reason."""

from __future__ import annotations

from even_step.app.canvas.scene import Scene
from even_step.app.desk import Desk
from even_step.app.told import aside_of

Mark = tuple[str, str]


def part_marks(desk: Desk, scene: Scene) -> dict[str, Mark]:
    """Return the mark of each part that has one, by its id."""
    marked: dict[str, Mark] = {}
    for part in desk.job.parts:
        model = desk.shelf.model(part)
        if model and model.proposed and part.unit == "mm":
            marked[part.id] = "warn", "strangely small: drawn in another unit?"
        if model and model.warnings:
            marked[part.id] = "warn", model.warnings[0]
    for shape in scene.parts:
        if shape.fault:
            marked[shape.spot.part] = "stop", shape.fault
    return marked


def station_marks(desk: Desk, scene: Scene) -> dict[str, Mark]:
    """Return the mark of every station."""
    marks: dict[str, Mark] = dict.fromkeys(("Machine", "Parts", "Recipe", "Supports", "Layers", "Output"), ("", ""))
    trial, job = desk.trials.last_of(desk.bed), desk.job_of_bed
    last = trial.job if trial else None
    if last is not None:
        if last.machine != job.machine or last.materials != job.materials:
            marks["Machine"] = "changed", "changed since the last slice"
        if (last.parts, last.order, last.tower) != (job.parts, job.order, job.tower):
            marks["Parts"] = "changed", "changed since the last slice"
        if last.recipe != job.recipe or last.settings != job.settings:
            marks["Recipe"] = "changed", "changed since the last slice"
    of_parts = part_marks(desk, scene).values()
    for severity in ("warn", "stop"):
        reasons = [reason for mark, reason in of_parts if mark == severity]
        if reasons:
            marks["Parts"] = severity, reasons[0]
    if desk.complaints:
        marks["Recipe"] = "stop", next(iter(desk.complaints.values())).message
    shown = desk.trials.shown
    if shown:
        for severity in ("warn", "stop"):
            found = [one for one in shown.findings(severity) if aside_of(desk.job, one) is None]
            if found:
                marks["Layers"] = severity, found[0]["message"]
        if shown.findings("stop"):
            marks["Output"] = "stop", "a finding stops the export"
    return marks
