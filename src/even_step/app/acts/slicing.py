"""Slicing and handing over."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QGuiApplication

from even_step.app.acts.action import Action
from even_step.app.desk import Desk
from even_step.app.reach import Reach
from even_step.app.report_page import title_of
from even_step.core.catalogue import find_setting
from even_step.core.height_ways import height_ways
from even_step.core.job.differences import differences
from even_step.core.trials.page import as_text, tables_of


def why_not(desk: Desk) -> str:
    """Say why the job cannot be sliced now; empty when it can."""
    if not desk.job.parts:
        return "no parts on the bed"
    lost = next((part for part in desk.job.parts if desk.shelf.misses(part)), None)
    if lost is not None:
        return f"{lost.name} is not in {Path(lost.file).name}: remove it"
    if not desk.shelf.has_all(desk.job.parts):
        return "models are being read"
    return next((f"{find_setting(key).label}: {wrong.message}" for key, wrong in desk.complaints.items()), "")


def _slice(reach: Reach) -> None:
    reason = why_not(reach.desk)
    if reason:
        reach.desk.note(f"Nothing to slice yet: {reason}.", remedy="" if reach.desk.job.parts else "file.bring_in")
    else:
        reach.desk.trials.slice()


def _three_ways(reach: Reach) -> None:
    """Slice it three times: all coarse, all fine, following the surface."""
    desk = reach.desk
    desk.trials.slice_with(height_ways(desk.resolved.values, desk.job.machine))


def _export(reach: Reach) -> None:
    trial = reach.desk.trials.shown
    if trial and trial.bed == reach.desk.bed and differences(trial.job, reach.desk.job_of_bed):
        reach.desk.note(f"Trial {trial.number} is exported, as it was sliced; the job has changed since.", "caution")
    path = reach.asking.where_to_export(reach.files.proposed("gcode"))
    if path:
        reach.files.export(path)


def _export_anyway(reach: Reach) -> None:
    path = reach.asking.where_to_export(reach.files.proposed("gcode"))
    if path:
        reach.files.export(path, force=True)


def _copy_figures(reach: Reach) -> None:
    trial = reach.desk.trials.shown
    if trial is not None:
        QGuiApplication.clipboard().setText(as_text(title_of(trial), tables_of(trial.report, trial.job)))
        reach.desk.note(f"The figures of trial {trial.number} are on the clipboard.")


def _is_shown(reach: Reach) -> bool:
    return reach.desk.trials.shown is not None


def _ready(reach: Reach) -> bool:
    trial = reach.desk.trials.shown
    return trial is not None and not trial.findings("stop")


ACTIONS = (
    Action("slice.run", "Slice", "Slice", _slice, ("F5",), "layers", can=lambda b: not why_not(b.desk)),
    Action(
        "slice.cancel",
        "Cancel what runs",
        "Slice",
        lambda b: b.desk.trials.cancel(),
        ("Esc",),
        "x",
        can=lambda b: b.desk.trials.running,
    ),
    Action(
        "slice.replace",
        "Restart the worker process",
        "Slice",
        lambda b: b.desk.worker.replace(),
        can=lambda b: b.desk.worker.stuck,
        synonyms=("hangs", "frozen", "stuck", "restart"),
    ),
    Action(
        "slice.heights_compared",
        "Compare layer heights: coarse, fine, following",
        "Slice",
        _three_ways,
        can=lambda b: not why_not(b.desk),
        synonyms=("adaptive", "variable", "trials", "three"),
    ),
    Action("slice.export", "Export G-code…", "Slice", _export, ("Ctrl+E",), "download", can=_ready, synonyms=("save",)),
    Action(
        "slice.report",
        "Report of the trial…",
        "Slice",
        lambda b: b.asking.save_report(),
        ("Ctrl+Shift+E",),
        can=_is_shown,
        synonyms=("pdf", "html", "print", "page", "summary"),
    ),
    Action(
        "slice.copy_figures",
        "Copy the figures as text",
        "Slice",
        _copy_figures,
        ("Ctrl+Shift+C",),
        can=_is_shown,
        synonyms=("clipboard", "report", "summary"),
    ),
    Action(
        "slice.export_anyway",
        "Export although a finding stops it…",
        "Slice",
        _export_anyway,
        can=lambda b: b.desk.trials.shown is not None,
        synonyms=("force",),
    ),
)
