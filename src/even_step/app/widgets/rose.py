"""The limit by direction, as a rose: how far something may lean toward each side before it hangs."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.core.overhang import Limits, limit_toward

RADIUS, ROOM = 34.0, 20.0
SIDES = ("right", "back", "left", "front")
STEP = 5  # degrees round the compass


class Rose(QWidget):
    """Seen from above, the front below; the ring is an upright 90°."""

    def __init__(self) -> None:
        super().__init__()
        self._limits: Limits = (45.0, 45.0, 45.0, 45.0)
        self._fan = ""
        self.setFixedSize(self.sizeHint())

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of the rose with its numbers."""
        side = int(2 * (RADIUS + ROOM))
        return QSize(side + 16, side)

    def show_limits(self, limits: Limits, fan_side: str) -> None:
        """Show other limits, and the side the cooling air comes from."""
        self._limits, self._fan = limits, fan_side
        told = ", ".join(f"{limit:g}° to the {side}" for side, limit in zip(SIDES, limits, strict=True))
        self.setAccessibleName(f"overhang limit: {told}; air from the {fan_side}")
        self.setToolTip(told)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw ring, limits and their numbers."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2, self.height() / 2)
        painter.setPen(QPen(QColor(PAPER.rule), 1))
        painter.setBrush(QColor(PAPER.paper))
        painter.drawEllipse(middle, RADIUS, RADIUS)
        painter.setPen(QPen(QColor(PAPER.accent), 1.5))
        painter.setBrush(QColor(PAPER.wash))
        painter.drawPolygon(QPolygonF([self._at(middle, degrees) for degrees in range(0, 360, STEP)]))
        painter.setFont(font(MARK))
        for side, limit, (x, y) in zip(SIDES, self._limits, ((1, 0), (0, -1), (-1, 0), (0, 1)), strict=True):
            place = middle + QPointF(x, y) * (RADIUS + ROOM / 2 + 3 * abs(x))
            painter.setPen(QColor(PAPER.ink if side == self._fan else PAPER.faint))
            area = QRectF(0, 0, 44, 14)
            area.moveCenter(place)
            told = f"{limit:g}° air" if side == self._fan else f"{limit:g}°"
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, told)
        painter.end()

    def _at(self, middle: QPointF, degrees: float) -> QPointF:
        limit = limit_toward(self._limits, degrees)
        way = math.radians(degrees)
        return middle + QPointF(math.cos(way), -math.sin(way)) * (RADIUS * min(limit, 90.0) / 90.0)
