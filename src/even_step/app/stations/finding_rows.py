"""The findings of the trial shown: what is told, with its remedy, and what was set aside, with why."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.told import aside_of, see_finding, told_findings
from even_step.app.widgets.fields import WordsField
from even_step.app.widgets.marks import draw_mark
from even_step.app.widgets.sheet import Group, button, clear, label, line
from even_step.core.errors import JobError
from even_step.core.job import edits
from even_step.core.job.by_hand import Post
from even_step.core.job.model import Job
from even_step.core.job.pins import MOST_WORDS, SetAside
from even_step.core.job.spots import has_part

SHEET_ROOM = 292  # points a row is about wide

ROOM = 250  # points beside the mark, on the narrowest sheet


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


def _shorten(widget: QAbstractButton) -> None:
    """Cut the words of a button that is too wide for the sheet; pointed at it tells them whole."""
    wide, words = widget.sizeHint().width(), widget.text()
    if wide > ROOM:
        metrics = widget.fontMetrics()
        widget.setToolTip(words)
        widget.setAccessibleName(words)
        around = wide - metrics.horizontalAdvance(words)
        widget.setText(metrics.elidedText(words, Qt.TextElideMode.ElideMiddle, ROOM - around))


def indented(*widgets: QAbstractButton) -> QWidget:
    """Put buttons under the words of the finding above them, side by side where there is room."""
    holder = QWidget()
    box = QVBoxLayout(holder)
    box.setContentsMargins(22, 0, 0, 8)
    box.setSpacing(2)
    for widget in widgets:
        _shorten(widget)
    beside = sum(widget.sizeHint().width() for widget in widgets) + 10 * len(widgets) <= ROOM
    for some in (widgets,) if beside else [(widget,) for widget in widgets]:
        box.addLayout(line(*some, 1, spacing=10))
    return holder


class FindingRows(Group):
    """Those that are told, the gravest first, then those that are set aside."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Findings")
        self._desk = desk
        self._shown: object = None
        desk.store.changed.connect(lambda _: self.refresh())
        desk.trials.shown_changed.connect(self.refresh)
        desk.view.changed.connect(lambda piece: self._check() if piece == "finding" else None)
        self.refresh()

    def refresh(self) -> None:
        """Show what there is to tell."""
        trial = self._desk.trials.shown
        shown = trial, self._desk.job.set_aside
        if shown == self._shown:
            return
        self._shown = shown
        clear(self.body)
        found = trial.report["findings"] if trial else []
        told = told_findings(self._desk)
        aside = [number for number in range(len(found)) if number not in told]
        few = f"{len(told)}" if told else "none"
        self.note.setText(few + (f", {len(aside)} set aside" if aside else ""))
        for number in told:
            self._add_told(number, found[number])
        for number in aside:
            self._add_aside(number, found[number])
        self._check()

    def _check(self) -> None:
        for row in self.findChildren(FindingRow):
            row.setChecked(row.number == self._desk.view.finding)

    def _add_told(self, number: int, finding: dict[str, Any]) -> None:
        row = FindingRow(number, finding)
        row.clicked.connect(lambda _=False, number=number: see_finding(self._desk, number))
        self.add(row)
        pieces: list[QAbstractButton] = []
        fix = finding.get("fix")
        if fix:
            pieces.append(button(fix["title"], f"fix {number}", partial(self._mend, finding)))
        if finding["severity"] != "stop":
            aside = partial(self._set_aside, finding)
            pieces.append(
                button("set aside", f"set aside {number}", aside, role="link", tip="It is known, and meant so")
            )
        if pieces:
            self.add(indented(*pieces))

    def _add_aside(self, number: int, finding: dict[str, Any]) -> None:
        known = aside_of(self._desk.job, finding)
        told = label(finding["message"], "mark", wrap=True)
        again = button("tell it again", f"tell again {number}", partial(self._tell_again, finding), role="link")
        row = line(told, again)
        row.setStretch(0, 1)
        row.setContentsMargins(22, 4, 0, 0)
        self.add(row)
        field = WordsField(f"why aside {number}", "why it is meant so", MOST_WORDS)
        field.setText(known.note if known else "")
        field.editingFinished.connect(lambda: self._say_why(finding, field.text().strip()))
        why = line(field)
        why.setContentsMargins(22, 0, 0, 8)
        self.add(why)

    def _set_aside(self, finding: dict[str, Any], note: str = "") -> None:
        part, copy = finding.get("part_id", ""), finding.get("copy_id", "")
        whose = SetAside(code=finding["code"], part=part, copy_id=copy, note=note)
        edit(self._desk, f"set {finding['code']} aside", lambda job: edits.with_set_aside(job, whose))

    def _say_why(self, finding: dict[str, Any], note: str) -> None:
        known = aside_of(self._desk.job, finding)
        if known is not None and known.note != note:
            self._set_aside(finding, note)

    def _tell_again(self, finding: dict[str, Any]) -> None:
        whose = finding["code"], finding.get("part_id", ""), finding.get("copy_id", "")
        edit(self._desk, f"tell {finding['code']} again", lambda job: edits.without_set_aside(job, *whose))

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
