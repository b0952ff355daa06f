"""Words on a slip of colour over the canvas, and what is measured there: two ends, the way between, its length."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font

END = 4.5  # points, radius of an end


def draw_slip(painter: QPainter, middle: QPointF, words: str, colour: str) -> None:
    """Write a few words on a slip of colour."""
    painter.setFont(font(MARK, bold=True))
    wide = painter.fontMetrics().horizontalAdvance(words) + 12
    slip = QRectF(middle.x() - wide / 2, middle.y() - 9, wide, 18)
    painter.fillRect(slip, QColor(colour))
    painter.setPen(QColor(PAPER.sheet))
    painter.drawText(slip, Qt.AlignmentFlag.AlignCenter, words)


def draw_measured(painter: QPainter, ends: Sequence[QPointF], words: str) -> None:
    """Draw the ends of what is measured, and with both of them the way between and what it reads."""
    if len(ends) == 2:
        for colour, wide in ((PAPER.sheet, 4.0), (PAPER.accent, 1.5)):
            painter.setPen(QPen(QColor(colour), wide))
            painter.drawLine(ends[0], ends[1])
    painter.setPen(QPen(QColor(PAPER.sheet), 1.5))
    painter.setBrush(QColor(PAPER.accent))
    for at in ends:
        painter.drawEllipse(at, END, END)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if len(ends) == 2 and words:
        draw_slip(painter, (ends[0] + ends[1]) / 2 - QPointF(0, 14), words, PAPER.accent)
