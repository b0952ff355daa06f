"""The trial strip: the slice button, and a ticket for each trial."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QHBoxLayout, QScrollArea, QWidget

from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import pixmap
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.trials import Trial, Trials
from even_step.app.widgets.marks import draw_mark
from even_step.core.wording import clock, grams

HEIGHT = 76
TICKET = QSize(206, 59)


class SliceButton(QAbstractButton):
    """Slices; says why it cannot; while it does, shows how far and offers to stop."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("slice")
        self.setFixedSize(QSize(150, TICKET.height()))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.word, self.below, self.share = "Slice", "F5", -1.0

    def say(self, word: str, below: str, share: float = -1.0) -> None:
        """Say what a click does, why it cannot, or how far it is (0 to 1)."""
        self.word, self.below, self.share = word, below, share
        self.setAccessibleName(f"{word}, {below}")
        self.setToolTip(f"{word} (F5)" if self.isEnabled() else below)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it."""
        painter = QPainter(self)
        area = QRectF(self.rect())
        live = self.isEnabled()
        running = self.share >= 0
        painter.fillRect(area, QColor(PAPER.accent if live and not running else PAPER.wash if running else PAPER.rule))
        if running:
            painter.fillRect(QRectF(0, area.height() - 6, area.width() * self.share, 6), QColor(PAPER.accent))
        ink = QColor(PAPER.sheet if live and not running else PAPER.ink if running else PAPER.faint)
        if self.hasFocus():
            painter.setPen(ink)
            painter.drawRect(area.adjusted(3, 3, -4, -4))
        painter.setPen(ink)
        below = area.adjusted(14, 29, -6, -8)
        wraps = QFontMetricsF(font(MARK)).horizontalAdvance(self.below) > below.width()
        up = 7 if wraps else 0  # for a second line
        painter.setFont(font(15, bold=True))
        painter.drawText(area.adjusted(14, 8 - up, -8, -28 - up), Qt.AlignmentFlag.AlignVCenter, self.word)
        painter.setFont(font(MARK))
        painter.drawText(
            below.adjusted(0, -up, 0, up), Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, self.below
        )
        painter.end()


class Ticket(QAbstractButton):
    """One trial: number, time, mass, what changed, findings by shape."""

    def __init__(self, trial: Trial, bed: str = "") -> None:
        """``bed`` says in words which bed it is of, where there are several."""
        super().__init__()
        self.trial, self.bed = trial, bed
        self.setObjectName(f"ticket {trial.number}")
        self.setFixedSize(TICKET)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.refresh()

    def refresh(self) -> None:
        """Say what is said of the trial now."""
        trial = self.trial
        self.changed = (f"{self.bed}: " if self.bed else "") + trial.title
        star = ", starred" if trial.starred else ""
        self.setAccessibleName(f"trial {trial.number}{star}: {clock(trial.time)}, {grams(trial.mass)}, {self.changed}")
        told = [finding["message"] for severity in ("stop", "warn") for finding in trial.findings(severity)]
        words = [f"Trial {trial.number}: {self.changed}", *([*trial.changed] if trial.name else []), trial.note]
        how = ["Ctrl+click compares it with the one that is shown"]
        self.setToolTip("\n".join([word for word in words if word] + told[:8] + how))
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it as a slip of paper, with a heavier edge when it is shown."""
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0.5, 0.5, -1, -1)
        painter.fillRect(area, QColor(PAPER.wash if self.underMouse() and not self.isChecked() else PAPER.paper))
        pen = painter.pen()
        pen.setColor(QColor(PAPER.accent if self.isChecked() else PAPER.rule))
        pen.setWidthF(2 if self.isChecked() else 1)
        painter.setPen(pen)
        painter.drawRect(area)
        if self.hasFocus():
            painter.setPen(QColor(PAPER.ink))
            painter.drawRect(area.adjusted(3, 3, -3, -3))
        painter.setPen(QColor(PAPER.ink))
        painter.setFont(font(BODY, bold=True))
        line = area.adjusted(10, 6, -10, -32)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, str(self.trial.number))
        painter.setFont(font(BODY))
        across = max(26, painter.fontMetrics().horizontalAdvance(f"{self.trial.number}  "))
        if self.trial.starred:
            painter.drawPixmap(QRectF(line.left() + across, line.center().y() - 6, 12, 12).toRect(), pixmap("star"))
            across += 18
        painter.drawText(line.adjusted(across, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, clock(self.trial.time))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, grams(self.trial.mass))
        painter.setPen(QColor(PAPER.faint))
        painter.setFont(font(MARK))
        marks = [severity for severity in ("stop", "warn", "note") if self.trial.findings(severity)]
        words = painter.fontMetrics().elidedText(
            self.changed, Qt.TextElideMode.ElideRight, int(area.width() - 24 - 18 * len(marks))
        )
        painter.drawText(area.adjusted(10, 30, -10, -6), Qt.AlignmentFlag.AlignVCenter, words)
        for i, mark in enumerate(reversed(marks)):
            draw_mark(painter, mark, area.right() - 14 - 18 * i, area.bottom() - 15)
        painter.end()


class TrialStrip(QWidget):
    """The strip along the bottom."""

    chosen = Signal(object)
    compared = Signal(object)  # with the one that is shown

    def __init__(self, trials: Trials, name_of_bed: Callable[[str], str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(HEIGHT)
        self._trials, self._name_of_bed = trials, name_of_bed
        self.button = SliceButton(self)
        self._row = QWidget()
        self._tickets = QHBoxLayout(self._row)
        self._tickets.setContentsMargins(0, 0, 0, 0)
        self._tickets.setSpacing(8)
        self._tickets.addStretch(1)
        self._scroll = QScrollArea()
        self._scroll.setWidget(self._row)
        self._scroll.setWidgetResizable(True)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 8, 12, 8)
        line.setSpacing(8)
        line.addWidget(self.button)
        line.addWidget(self._scroll, 1)
        trials.changed.connect(self.refresh)
        trials.shown_changed.connect(self.refresh)
        self.shown: list[Ticket] = []

    def _clicked(self, ticket: Ticket) -> None:
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier:
            self.compared.emit(ticket.trial)
            self.refresh()
        else:
            self.chosen.emit(ticket.trial)

    def refresh(self) -> None:
        """Show a ticket for each trial, the one on the canvas with a heavier edge."""
        several = len({trial.bed for trial in self._trials.all}) > 1
        wanted = [(trial, self._name_of_bed(trial.bed) if several else "") for trial in self._trials.all]
        if [(ticket.trial, ticket.bed) for ticket in self.shown] != wanted:
            for ticket in self.shown:
                self._tickets.removeWidget(ticket)
                ticket.deleteLater()
            self.shown = [Ticket(trial, bed) for trial, bed in wanted]
            for i, ticket in enumerate(self.shown):
                self._tickets.insertWidget(i, ticket)
                ticket.clicked.connect(lambda _=False, ticket=ticket: self._clicked(ticket))
        for ticket in self.shown:
            ticket.refresh()
            ticket.setChecked(ticket.trial is self._trials.shown)
        if self.shown:
            bar = self._scroll.horizontalScrollBar()
            bar.rangeChanged.connect(lambda _, most: bar.setValue(most), Qt.ConnectionType.SingleShotConnection)
