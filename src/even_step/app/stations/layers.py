"""The station Layers: roles with time and grams, section or solid, findings."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.stations.colour_rows import ColourRows
from even_step.app.stations.height_rows import HeightRows
from even_step.app.stations.hole_rows import HoleRows
from even_step.app.stations.line_rows import LineRows
from even_step.app.stations.tick_row import TickRow
from even_step.app.stations.trial_fields import TrialFields
from even_step.app.theme.colours import PAPER, role_colour
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.trials import Trial
from even_step.app.widgets.marks import draw_mark
from even_step.app.widgets.sheet import Group, Sheet, button, clear, label, line
from even_step.core.errors import JobError
from even_step.core.job import edits
from even_step.core.job.by_hand import Post
from even_step.core.job.model import Job
from even_step.core.job.spots import has_part
from even_step.core.toolpath.roles import ROLES
from even_step.core.wording import clock, grams

SHEET_ROOM = 292  # points a row is about wide
SEVERITIES = ("stop", "warn", "note")


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


class FindingRow(QAbstractButton):
    """One finding; a click shows its place."""

    def __init__(self, number: int, finding: dict[str, Any]) -> None:
        super().__init__()
        self.number, self._finding = number, finding
        self.setObjectName(f"finding {number}")
        where = f"layer {finding['layer'] + 1} · z {finding['z_mm']:.2f} mm" if finding["layer"] >= 0 else "whole part"
        self._where = f"{where} · {finding['part']}" if finding["part"] else "whole job"
        self.setAccessibleName(f"{finding['severity']}: {finding['message']}, {self._where}")
        self.setToolTip(f"{finding['message']}\n{self._where}\nRemedy: {finding['remedy']}")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setFixedHeight(self.heightForWidth(SHEET_ROOM))

    def heightForWidth(self, width: int) -> int:  # noqa: N802 - Qt's name
        """Return the height that the wrapped message needs, with a line for the place and one for the remedy."""
        metrics = QFontMetrics(font(BODY))
        wrapped = metrics.boundingRect(0, 0, width - 26, 400, Qt.TextFlag.TextWordWrap, self._finding["message"])
        remedy = QFontMetrics(font(MARK)).boundingRect(
            0, 0, width - 26, 400, Qt.TextFlag.TextWordWrap, self._finding["remedy"]
        )
        return wrapped.height() + remedy.height() + 16 + 10

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        """Keep the height that the width needs."""
        self.setFixedHeight(self.heightForWidth(event.size().width()))

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw mark, message, place and remedy."""
        painter = QPainter(self)
        if self.isChecked() or self.underMouse():
            painter.fillRect(self.rect(), QColor(PAPER.wash if self.isChecked() else PAPER.paper))
        if self.hasFocus():
            painter.setPen(QColor(PAPER.accent))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        draw_mark(painter, self._finding["severity"], 10, 12)
        wide = self.width() - 26
        painter.setPen(QColor(PAPER.ink))
        painter.setFont(font(BODY))
        at = painter.drawText(QRectF(22, 3, wide, 400), Qt.TextFlag.TextWordWrap, self._finding["message"])
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.faint))
        place = QRectF(22, at.bottom() + 1, wide, 15)
        where = painter.fontMetrics().elidedText(self._where, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, where)
        painter.drawText(QRectF(22, place.bottom() + 1, wide, 400), Qt.TextFlag.TextWordWrap, self._finding["remedy"])
        painter.end()


def indented(widget: QWidget) -> QWidget:
    """Put a button under the words of the finding above it."""
    holder = QWidget()
    row = line(widget, 1)
    row.setContentsMargins(22, 0, 0, 8)
    holder.setLayout(row)
    return holder


EMPTY = "Nothing sliced yet. Slice (F5), then step through the layers here."
KEPT = "Slice (F5), or click a trial below to see its layers again."


class LayersStation(Sheet):
    """Look at the trial layer by layer; ``reveals`` names a setting that is to be shown."""

    reveals = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__("Layers")
        self._desk = desk
        self._trial: Trial | None = None
        self._empty = label(EMPTY, wrap=True)
        self.add(self._empty)
        self._inside = QWidget()
        box = QVBoxLayout(self._inside)
        box.setContentsMargins(0, 0, 0, 0)
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
        row = line(self._solid, self._section, 1, self._lens, spacing=0)
        row.setContentsMargins(0, 0, 0, 8)
        box.addLayout(row)
        box.addWidget(LineRows(desk.asked_line, desk.trials, self.reveals.emit))
        box.addWidget(TrialFields(desk))
        self._colours = ColourRows(desk)
        box.addWidget(self._colours)
        self._roles = Group("Roles", "click to hide")
        box.addWidget(self._roles)
        self._heights = HeightRows(desk)
        box.addWidget(self._heights)
        self._holes = HoleRows()
        box.addWidget(self._holes)
        self._findings = Group("Findings")
        box.addWidget(self._findings)
        self.add(self._inside)
        desk.trials.shown_changed.connect(self._refresh)
        desk.trials.changed.connect(self._refresh)
        desk.view.changed.connect(self._follow)
        self._refresh()

    def _follow(self, piece: str) -> None:
        if piece in {"section", "lens"}:
            self._show_kind()
        elif piece == "colour_by":
            self._colours.refresh()
            for role in self.findChildren(RoleRow):
                role.swatched = self._desk.view.colour_by == "role"
        elif piece == "finding":
            for row in self.findChildren(FindingRow):
                row.setChecked(row.number == self._desk.view.finding)

    def _show_kind(self) -> None:
        self._solid.setChecked(not self._desk.view.section)
        self._section.setChecked(self._desk.view.section)
        self._lens.setChecked(self._desk.view.lens)

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
        clear(self._roles.body)
        clear(self._findings.body)
        if trial:
            self._fill_roles(trial)
            self._heights.show_report(trial.report)
            self._holes.show_report(trial.report)
            self._fill_findings(trial)

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

    def _fill_findings(self, trial: Trial) -> None:
        found = trial.report["findings"]
        order = sorted(range(len(found)), key=lambda i: SEVERITIES.index(found[i]["severity"]))
        self._findings.note.setText(f"{len(found)}" if found else "none")
        for number in order:
            row = FindingRow(number, found[number])
            row.clicked.connect(lambda _=False, number=number: self._see(number))
            self._findings.add(row)
            fix = found[number].get("fix")
            if fix:
                mend = button(fix["title"], f"fix {number}", partial(self._mend, found[number]))
                self._findings.add(indented(mend))

    def _mend(self, finding: dict[str, Any]) -> None:
        """Give the part that a finding is about what would mend it: settings of its own, or a post."""

        def mended(job: Job) -> Job:
            if not has_part(job, finding["part_id"]):
                raise JobError("is not in the job any more", subject=finding["part"])
            part, zone = finding["part_id"], finding["fix"].get("zone", "")
            for key, value in finding["fix"]["settings"].items():
                if zone:
                    settings = {**edits.zone_of(job, part, zone).settings, key: value}
                    job = edits.with_zone_changed(job, part, zone, settings=settings)
                else:
                    job = edits.with_setting_of_parts(job, [part], key, value)
            for *at, wide in finding["fix"]["posts"]:
                job = edits.with_post(job, finding["part_id"], Post(at=tuple(at), diameter=wide))
            return job

        edit(self._desk, finding["fix"]["title"], mended)

    def _see(self, number: int) -> None:
        """Show the layer and the place of a finding."""
        trial = self._desk.trials.shown
        if trial is None or trial.lines is None:
            return
        finding = trial.report["findings"][number]
        if finding["layer"] >= 0:
            self._desk.view.show_layers(0, int(finding["layer"]), trial.lines.count)
        if finding["part"]:
            self._desk.view.finding = -1
        self._desk.view.set("finding", number if finding["part"] else -1)  # the whole job has no place
