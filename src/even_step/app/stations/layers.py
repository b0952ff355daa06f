"""The station Layers: roles with time and grams, section or solid, findings."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QVBoxLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.stations.colour_rows import ColourRows
from even_step.app.stations.cut_fields import CutFields
from even_step.app.stations.finding_rows import FindingRows
from even_step.app.stations.height_rows import HeightRows
from even_step.app.stations.hole_rows import HoleRows
from even_step.app.stations.line_rows import LineRows
from even_step.app.stations.pin_rows import PinRows
from even_step.app.stations.tick_row import TickRow
from even_step.app.stations.trial_fields import TrialFields
from even_step.app.theme.colours import role_colour
from even_step.app.trials import Trial
from even_step.app.widgets.sheet import Group, Sheet, button, clear, label, line
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
        box.addLayout(self._ways_to_look(desk))
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

    def _ways_to_look(self, desk: Desk) -> QVBoxLayout:
        """Return the rows of what the layers are seen as, and with what."""
        self._kinds = QButtonGroup(self)
        self._solid = button(
            "Solid", "show solid", lambda: desk.view.set("section", False), tip="All layers up to the one in hand (S)"
        )
        self._section = button(
            "Section", "show section", lambda: desk.view.set("section", True), tip="One layer flat, true to width (S)"
        )
        for kind in (self._solid, self._section):
            kind.setCheckable(True)
            self._kinds.addButton(kind)
        self._lens = button(
            "Gap lens",
            "gap lens",
            lambda: desk.view.set("lens", not desk.view.lens),
            tip="How far the part is from the support under the pointer (L)",
        )
        self._lens.setCheckable(True)
        self._marks = button(
            "Marks",
            "layer marks",
            lambda: desk.view.set("marks", not desk.view.marks),
            tip="Seams, retractions and lifts of the layer in hand (N)",
        )
        self._marks.setCheckable(True)
        self._cut = button(
            "Cut",
            "cut upright",
            lambda: self.wants.emit("layers.cut"),
            tip="Cut the layers upright, toward the eye (C)",
        )
        self._ghosts = button(
            "Ghosts", "ghosts", lambda: desk.view.set("ghosts", not desk.view.ghosts), tip="Show the parts as veils (Y)"
        )
        self._code = button(
            "G-code", "layer text", lambda: desk.view.set("code", not desk.view.code), tip="The G-code beside (T)"
        )
        self._rule = button("Measure", "measure layers", desk.rule.take, tip="Measure between two places (M)")
        for kind in (self._cut, self._ghosts, self._code, self._rule):
            kind.setCheckable(True)
        desk.rule.changed.connect(self._show_kind)
        box = QVBoxLayout()
        box.setContentsMargins(0, 0, 0, 8)
        box.addLayout(line(self._solid, self._section, 1, self._rule, self._code, spacing=0))
        box.addLayout(line(self._cut, self._ghosts, self._marks, self._lens, 1, spacing=0))
        return box

    def _follow(self, piece: str) -> None:
        if piece in {"section", "lens", "marks", "plane", "ghosts", "code"}:
            self._show_kind()
        elif piece == "colour_by":
            self._colours.refresh()
            for role in self.findChildren(RoleRow):
                role.swatched = self._desk.view.colour_by == "role"

    def _show_kind(self) -> None:
        self._solid.setChecked(not self._desk.view.section)
        self._section.setChecked(self._desk.view.section)
        self._lens.setChecked(self._desk.view.lens)
        self._marks.setChecked(self._desk.view.marks)
        self._cut.setChecked(self._desk.view.plane is not None)
        self._ghosts.setChecked(self._desk.view.ghosts)
        self._code.setChecked(self._desk.view.code)
        self._rule.setChecked(self._desk.rule.in_hand)
        for kind in (self._cut, self._ghosts):
            kind.setEnabled(not self._desk.view.section)

    def _refresh(self) -> None:
        trial = self._desk.trials.shown
        self._empty.setVisible(trial is None)
        self._empty.setText(KEPT if self._desk.trials.all else EMPTY)
        self._inside.setVisible(trial is not None)
        self.remark.setText(f"trial {trial.number}" if trial else "")
        self._show_kind()
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
