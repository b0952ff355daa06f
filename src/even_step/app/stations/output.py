"""The station Output: what the export will be, and exporting it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout

from even_step.app.desk import Desk
from even_step.app.files import JobFiles
from even_step.app.stations.export_fields import ExportFields
from even_step.app.theme.icons import icon
from even_step.app.told import told_findings
from even_step.app.trials import Trial
from even_step.app.widgets.sheet import Sheet, button, clear, label, line
from even_step.core.wording import clock, grams


def _worst(desk: Desk) -> str:
    """Say the gravest of the findings that are told, and how many there are."""
    trial, told = desk.trials.shown, told_findings(desk)
    if trial is None or not told:
        return "No findings."
    more = f" (and {len(told) - 1} more)" if len(told) > 1 else ""
    return f"{trial.report['findings'][told[0]]['message']}{more}"


def _price(trial: Trial) -> str:
    """Say what a kilogram costs, where all is of one material."""
    prices = [material.price_per_kg for material in trial.job.materials]
    return f", at {prices[0]:g} a kg" if len(prices) == 1 else ""


def _by_extruder(report: dict[str, Any]) -> list[tuple[str, str]]:
    """Tell what each extruder lays, and what is purged, where there are several."""
    if len(report["material"]) < 2:
        return []
    rows = [
        (f"extruder {one['extruder']}", f"{one['name']}, {grams(one['mass_g'])}, {one['length_mm'] / 1000:.2f} m")
        for one in report["material"]
    ]
    purged = grams(report["mass_by_role_g"].get("purge", 0.0))
    return [*rows, ("changes", f"{report['changes_of_extruder']}, {purged} purged")]


class OutputStation(Sheet):
    """Hand the toolpath over."""

    wants = Signal(str)

    def __init__(self, desk: Desk, files: JobFiles) -> None:
        super().__init__("Output")
        self._desk, self._files = desk, files
        self._add_top()
        self._told = label("", wrap=True)
        self.add(self._told)
        self._file = label("", "head", wrap=True)
        self.add(self._file)
        self._table = QGridLayout()
        self._table.setVerticalSpacing(4)
        self._table.setContentsMargins(0, 8, 0, 8)
        self.add(self._table)
        self._export = button(
            "Export G-code…", "export", lambda: self.wants.emit("slice.export"), tip="Export G-code (Ctrl+E)"
        )
        self._export.setIcon(icon("download"))
        self._anyway = button(
            "Export although a finding stops it…",
            "export anyway",
            lambda: self.wants.emit("slice.export_anyway"),
            role="link",
        )
        row = line(self._export, 1)
        row.setContentsMargins(0, 8, 0, 4)
        self.add(row)
        self.add(self._anyway)
        self._page = button(
            "Report…", "report", lambda: self.wants.emit("slice.report"), tip="A page as PDF or HTML (Ctrl+Shift+E)"
        )
        self._figures = button(
            "Copy figures",
            "copy figures",
            lambda: self.wants.emit("slice.copy_figures"),
            tip="As text to the clipboard (Ctrl+Shift+C)",
        )
        self.add(line(self._page, self._figures, 1))
        self._last = label("", "mark", wrap=True)
        self.add(self._last)
        self.add(ExportFields(files.exporting))
        for signal in (
            desk.trials.changed,
            desk.trials.shown_changed,
            files.exported,
            desk.store.changed,
            files.exporting.changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def _add_top(self) -> None:
        self._total = label("", "title")
        self._total.setObjectName("output total")
        self.add(self._total)
        self._costs = label("")
        self._costs.setObjectName("output costs")
        self.add(self._costs)
        self._worst = label("", wrap=True)
        self._worst.setObjectName("output worst")
        self.add(self._worst)

    def _show_at_top(self, trial: Trial) -> None:
        """Show how long it takes in all, what it weighs and costs, and the worst that was found."""
        report = trial.report
        self._total.setText(clock(report["time_s"] + report.get("heat_up_s", 0.0)))
        self._total.setToolTip("Heating up and printing")
        self._costs.setText(f"{grams(trial.mass)} · {sum(one['cost'] for one in report['material']):.2f}")
        self._worst.setText(_worst(self._desk))

    def refresh(self, *_: object) -> None:
        """Show what an export would hold."""
        trial = self._desk.trials.shown
        clear(self._table)
        self._last.setText(f"Last export: {self._files.last_export}" if self._files.last_export else "")
        stops = trial.findings("stop") if trial else []
        self._export.setEnabled(trial is not None and not stops)
        self._anyway.setVisible(bool(stops))
        for piece in (self._page, self._figures):
            piece.setEnabled(trial is not None)
        self.remark.setText(f"trial {trial.number}" if trial else "")
        for told in (self._file, self._total, self._costs, self._worst):
            told.setVisible(trial is not None)
        if trial is None:
            self._told.setText("Nothing sliced yet. Slice (F5); the toolpath is exported from here.")
            return
        if stops:
            self._told.setText(f"A finding stops the export: {stops[0]['message']}. Remedy: {stops[0]['remedy']}.")
        elif trial.job != self._desk.job_of_bed:
            self._told.setText("The job has changed since this trial; slice again to export the job as it is now.")
        else:
            self._told.setText("Ready. No finding stops it.")
        report, used = trial.report, trial.report["material"]
        self._show_at_top(trial)
        facts = (
            ("machine", report["job"]["machine"]),
            ("material", ", ".join(one["name"] for one in used)),
            ("layers", str(report["layers"]["count"])),
            ("printing", clock(report["time_s"])),
            ("heating up first", clock(report["heat_up_s"])),
            ("mass", grams(trial.mass)),
            ("filament", f"{sum(one['length_mm'] for one in used) / 1000:.2f} m"),
            ("cost", f"{sum(one['cost'] for one in used):.2f}{_price(trial)}"),
            *_by_extruder(report),
            (
                "findings",
                ", ".join(f"{len(trial.findings(s))} {s}" for s in ("stop", "warn", "note") if trial.findings(s))
                or "none",
            ),
        )
        self._file.setText(self._files.proposed("gcode"))
        for row, (name, value) in enumerate(facts):
            called = label(name, "faint")
            called.setMinimumWidth(called.sizeHint().width())
            self._table.addWidget(called, row, 0)
            self._table.addLayout(line(1, label(value)), row, 1)
