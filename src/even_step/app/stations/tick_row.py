"""A row that is shown or hidden by a click: a tick, a name, two figures."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton

from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import BODY, font


class TickRow(QAbstractButton):
    """Its name and figures are faint while what it stands for is hidden.

    ``begin`` is how far from the left its name begins, ``last`` how wide its last figure may be, in points.
    """

    def __init__(self, name: str, middle: str, right: str, *, begin: int = 40, last: int = 70) -> None:
        super().__init__()
        self._name, self._middle, self._right = name, middle, right
        self._begin, self._last = begin, last
        self.colour: QColor | None = None
        self.setAccessibleName(", ".join(text for text in (name, middle, right) if text))
        self.setToolTip("Show or hide")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setFixedHeight(24)

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a row."""
        return QSize(280, 24)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it; the swatch is filled while it is shown."""
        painter = QPainter(self)
        if self.underMouse():
            painter.fillRect(self.rect(), QColor(PAPER.paper))
        if self.hasFocus():
            painter.setPen(QColor(PAPER.accent))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        middle = Qt.AlignmentFlag.AlignVCenter
        ink = QColor(PAPER.ink if self.isChecked() else PAPER.faint)
        painter.setPen(ink)
        painter.setFont(font(BODY))
        painter.drawText(QRectF(2, 0, 14, 24), middle, "✓" if self.isChecked() else "")
        if self.colour:
            swatch = QRectF(20, 6, 12, 12)
            if self.isChecked():
                painter.fillRect(swatch, self.colour)
            painter.setPen(self.colour)
            painter.drawRect(swatch)
            painter.setPen(ink)
        painter.drawText(QRectF(self._begin, 0, 130, 24), middle, self._name)
        right = middle | Qt.AlignmentFlag.AlignRight
        painter.drawText(QRectF(0, 0, self.width() - 2 - self._last, 24), right, self._middle)
        painter.drawText(QRectF(0, 0, self.width() - 2, 24), right, self._right)
        painter.end()
