"""The rail: six stations stepping down and right like stairs."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import BODY, TITLE, font
from even_step.app.view import STATIONS
from even_step.app.widgets.marks import draw_mark

WIDTH, RISE, TREAD = 134, 64, 7
TOP = 14


class Step(QAbstractButton):
    """One stair: a number, a word, and a mark."""

    def __init__(self, number: int, word: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._number, self._word = number, word
        self.mark = ""
        self.setObjectName(f"step {word}")
        self.setAccessibleName(word)
        self.setToolTip(f"{word} ({number})")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedSize(self.sizeHint())

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a stair."""
        return QSize(WIDTH, RISE)

    def set_mark(self, mark: str, reason: str) -> None:
        """Show a mark, with its reason in the tooltip."""
        self.mark = mark
        self.setToolTip(f"{self._word} ({self._number})" + (f": {reason}" if reason else ""))
        self.setAccessibleDescription(reason)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw the stair."""
        painter = QPainter(self)
        left = (self._number - 1) * TREAD
        stair = QRectF(left + 0.5, 0.5, self.width() - left, self.height())
        if self.isChecked():
            painter.fillRect(stair, QColor(PAPER.accent))
        elif self.underMouse():
            painter.fillRect(stair, QColor(PAPER.wash))
        painter.setPen(QColor(PAPER.rule))
        painter.drawLine(stair.topLeft(), stair.topRight())
        painter.drawLine(stair.topLeft(), stair.bottomLeft())
        ink = QColor(PAPER.sheet if self.isChecked() else PAPER.ink)
        if self.hasFocus():
            painter.setPen(ink)
            painter.drawRect(stair.adjusted(4, 4, -6, -5))
        painter.setPen(ink if self.isChecked() else QColor(PAPER.faint))
        painter.setFont(font(TITLE))
        painter.drawText(QRectF(left + 10, 0, 18, self.height()), Qt.AlignmentFlag.AlignVCenter, str(self._number))
        painter.setPen(ink)
        painter.setFont(font(BODY, bold=self.isChecked()))
        painter.drawText(QRectF(left + 29, 0, 90, self.height()), Qt.AlignmentFlag.AlignVCenter, self._word)
        if self.mark:
            wide = painter.fontMetrics().horizontalAdvance(self._word)
            draw_mark(painter, self.mark, left + 29 + wide + 12, self.height() / 2, on_accent=self.isChecked())
        painter.end()


class Rail(QWidget):
    """The six stairs; one is where the user stands."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(WIDTH)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, TOP, 0, 0)
        box.setSpacing(0)
        self.group = QButtonGroup(self)
        self.steps = {word: Step(number, word, self) for number, word in enumerate(STATIONS, 1)}
        for step in self.steps.values():
            self.group.addButton(step)
            box.addWidget(step)
        box.addStretch(1)

    def stand_on(self, station: str) -> None:
        """Show where the user stands."""
        self.steps[station].setChecked(True)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Rule the edge toward the canvas."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(PAPER.sheet))
        painter.setPen(QColor(PAPER.rule))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        painter.end()
