"""The grip of a zone's line: pulled up or down, it puts the zone elsewhere in the order."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QWidget

from even_step.app.theme.colours import PAPER

DOT, APART = 1.2, 4.0  # points


class ZoneGrip(QWidget):
    """Six dots that are taken hold of; ``dropped`` says by how many lines it was pulled down (less than 0: up)."""

    dropped = Signal(int)

    def __init__(self, name: str, above: int, below: int) -> None:
        """``above`` and ``below`` are how many lines there are that way."""
        super().__init__()
        self.setObjectName(name)
        self.setAccessibleName("place in the order")
        self.setToolTip("Drag: the lower wins")
        self.setCursor(Qt.CursorShape.SizeVerCursor)
        self.setFixedSize(12, 18)
        self._above, self._below = above, below
        self._begun: float | None = None
        self._mark: QFrame | None = None

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """As large as it is."""
        return QSize(12, 18)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw the dots."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(PAPER.faint))
        for k in range(6):
            at = QPointF(4 + APART * (k % 2), self.height() / 2 + APART * (k // 2 - 1))
            painter.drawEllipse(at, DOT, DOT)
        painter.end()

    def _steps(self, event: QMouseEvent) -> int:
        """Return by how many lines it is pulled."""
        row = self.parentWidget()
        high = max(1, row.height() + 2 if row else self.height())
        wanted = round((event.globalPosition().y() - (self._begun or 0.0)) / high)
        return max(-self._above, min(self._below, wanted))

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Take hold."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._begun = event.globalPosition().y()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Show where it would go."""
        row = self.parentWidget()
        sheet = row.parentWidget() if row else None
        if self._begun is None or row is None or sheet is None:
            return
        if self._mark is None:
            self._mark = QFrame(sheet)
            self._mark.setStyleSheet(f"background: {PAPER.zone}")
        steps = self._steps(event)
        y = row.y() + steps * (row.height() + 2) + (row.height() if steps > 0 else 0)
        self._mark.setGeometry(row.x(), y - 1, row.width(), 2)
        self._mark.setVisible(steps != 0)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Let go."""
        if self._begun is None:
            return
        steps, self._begun = self._steps(event), None
        if self._mark is not None:
            self._mark.deleteLater()
            self._mark = None
        if steps:
            self.dropped.emit(steps)
