"""The station Layers: roles with time and grams, section or solid, findings."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.stations.colour_rows import ColourRows
from even_step.app.stations.cut_fields import CutFields
from even_step.app.stations.finding_rows import FindingRows
from even_step.app.stations.height_rows import HeightRows
from even_step.app.stations.hole_rows import HoleRows
from even_step.app.stations.line_rows import LineRows
from even_step.app.stations.look_rows import LookRows
from even_step.app.stations.pin_rows import PinRows
from even_step.app.stations.tick_row import TickRow
from even_step.app.stations.trial_fields import TrialFields
from even_step.app.theme.colours import role_colour
from even_step.app.trials import Trial
from even_step.app.widgets.sheet import Group, Sheet, clear, label, line
from even_step.core.toolpath.roles import ROLES
from even_step.core.wording import clock, grams


class RoleRow(TickRow):
    """One role: a tick, its colour, its name, its time and mass."""

    def __init__(self, role: str, time: str, mass: str) -> None:
        super().__init__(role.replace("-", " "), time, mass)
        self.role = role
        self.swatched = True
        self.setObjectName(f"role {role}")

    @property
    def swatched(self) -> bool:
        """Whether its colour is that of its lines."""
        return self.colour is not None

    @swatched.setter
    def swatched(self, yes: bool) -> None:
        self.colour = role_colour(self.role) if yes else None
        self.update()


EMPTY = "Nothing sliced yet. Slice (F5), then step through the layers here."
KEPT = "Slice (F5), or click a trial below to see its layers again."


class LayersStation(Sheet):
    """Look at the trial layer by layer.

    ``reveals`` names a setting that is to be shown, ``wants`` an action that is to be done.
    """

    reveals = Signal(str)
    wants = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__("Layers")
        self._desk = desk
        self._trial: Trial | None = None
        self._empty = label(EMPTY, wrap=True)
        self.add(self._empty)
        self._inside = QWidget()
        box = QVBoxLayout(self._inside)
        box.setContentsMargins(0, 0, 0, 0)
        look = LookRows(desk)
        look.wants.connect(self.wants)
        box.addWidget(look)
        box.addWidget(CutFields(desk))
        box.addWidget(LineRows(desk, self.reveals.emit))
        box.addWidget(TrialFields(desk))
        self._colours = ColourRows(desk)
        box.addWidget(self._colours)
        self._roles = Group("Roles", "click to hide")
        box.addWidget(self._roles)
        self._heights = HeightRows(desk)
        box.addWidget(self._heights)
        self._holes = HoleRows()
        box.addWidget(self._holes)
        self._findings = FindingRows(desk)
        box.addWidget(self._findings)
        box.addWidget(PinRows(desk))
        self.add(self._inside)
        desk.trials.shown_changed.connect(self._refresh)
        desk.trials.changed.connect(self._refresh)
        desk.view.changed.connect(self._follow)
        self._refresh()

    def _follow(self, piece: str) -> None:
        if piece == "colour_by":
            self._colours.refresh()
            for role in self.findChildren(RoleRow):
                role.swatched = self._desk.view.colour_by == "role"

    def _refresh(self) -> None:
        trial = self._desk.trials.shown
        self._empty.setVisible(trial is None)
        self._empty.setText(KEPT if self._desk.trials.all else EMPTY)
        self._inside.setVisible(trial is not None)
        self.remark.setText(f"trial {trial.number}" if trial else "")
        self._colours.refresh()
        if trial is self._trial:
            return
        self._trial = trial
        self._desk.view.finding = -1
        self._findings.refresh()
        clear(self._roles.body)
        if trial:
            self._fill_roles(trial)
            self._heights.show_report(trial.report)
            self._holes.show_report(trial.report)

    def _fill_roles(self, trial: Trial) -> None:
        times, masses = trial.report["time_by_role_s"], trial.report["mass_by_role_g"]
        for role in ROLES:
            if role in times or role in masses:
                mass = grams(masses[role]) if role in masses else ""
                row = RoleRow(role, clock(times.get(role, 0.0)), mass)
                row.swatched = self._desk.view.colour_by == "role"
                row.setChecked(role not in self._desk.view.hidden_roles)
                row.toggled.connect(lambda shown, role=role: self._hide(role, shown=shown))
                self._roles.add(row)
        total = line("printing", 1, label(f"{clock(trial.time)}    {grams(trial.mass)}", "head"))
        total.setContentsMargins(40, 4, 2, 0)
        self._roles.add(total)
        if trial.report.get("texture_s"):
            skin = line("of it for texture", 1, label(clock(trial.report["texture_s"])))
            skin.setContentsMargins(40, 0, 2, 0)
            self._roles.add(skin)

    def _hide(self, role: str, *, shown: bool) -> None:
        hidden = self._desk.view.hidden_roles
        self._desk.view.set("hidden_roles", hidden - {role} if shown else hidden | {role})
