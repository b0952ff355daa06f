"""The marks of a state: a dot for changed, a triangle for a caution, a square for a stop."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPaintEvent, QPixmap, QPolygonF
from PySide6.QtWidgets import QWidget

from even_step.app.theme.colours import PAPER

SIDE = 10
NAMES = {"changed": "changed", "warn": "caution", "stop": "stop", "note": "note"}


def draw_mark(painter: QPainter, mark: str, x: float, y: float, *, on_accent: bool = False) -> None:
    """Draw a mark with its middle at a point."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    colour = {"changed": PAPER.accent, "warn": PAPER.caution, "stop": PAPER.stop, "note": PAPER.faint}.get(mark, "")
    painter.setBrush(QColor(PAPER.sheet if on_accent else colour or PAPER.faint))
    half = SIDE / 2
    if mark == "changed":
        painter.drawEllipse(QPointF(x, y), half - 1, half - 1)
    elif mark == "warn":
        painter.drawPolygon(
            QPolygonF(
                [QPointF(x, y - half), QPointF(x + half + 1, y + half - 0.5), QPointF(x - half - 1, y + half - 0.5)]
            )
        )
    elif mark == "stop":
        painter.drawRect(QRectF(x - half + 0.5, y - half + 0.5, SIDE - 1, SIDE - 1))
    elif mark == "note":
        painter.drawRect(QRectF(x - half, y - 1, SIDE, 2))
    painter.restore()


def mark_icon(mark: str) -> QIcon:
    """Return a mark as the icon of a button."""
    picture = QPixmap(SIDE + 4, SIDE + 4)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    draw_mark(painter, mark, picture.width() / 2, picture.height() / 2)
    painter.end()
    return QIcon(picture)


class Mark(QWidget):
    """One mark as a widget; its name is read out."""

    def __init__(self, mark: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._mark = mark
        self.setFixedSize(QSize(SIDE + 4, SIDE + 4))
        self.setAccessibleName(NAMES.get(mark, ""))
        self.setToolTip(NAMES.get(mark, ""))

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it."""
        painter = QPainter(self)
        draw_mark(painter, self._mark, self.width() / 2, self.height() / 2)
        painter.end()
