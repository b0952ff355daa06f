"""Drawings of what holds a part to the bed, seen from the side or from above."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from even_step.app.theme.colours import PAPER, role_colour
from even_step.core.catalogue.setting import Value

Draw = Callable[[QPainter, QRectF, Value], None]
SCALE = 1.6  # points to a mm of a brim's or a margin's width
TALL = 24  # points, of the part as it is drawn from the side


def _bed(painter: QPainter, area: QRectF) -> float:
    y = area.bottom() - 4
    painter.setPen(QPen(QColor(PAPER.ink), 1.2))
    painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
    return y


def _part(painter: QPainter, area: QRectF, bottom: float) -> QRectF:
    part = QRectF(area.center().x() - 14, bottom - TALL, 28, TALL)
    painter.setPen(QPen(role_colour("outer-wall"), 1.5))
    painter.setBrush(QColor(PAPER.bone))
    painter.drawRect(part)
    return part


def _bar(painter: QPainter, role: str, left: float, top: float, width: float, height: float) -> None:
    painter.setPen(QPen(QColor(PAPER.sheet), 1))
    painter.setBrush(role_colour(role))
    painter.drawRect(QRectF(left, top, width, height))


def _brim(painter: QPainter, area: QRectF, reach: float, gap: float = 0.0) -> None:
    y = _bed(painter, area)
    part = _part(painter, area, y)
    _bar(painter, "brim", part.left() - gap - reach, y - 4, reach, 4)
    _bar(painter, "brim", part.right() + gap, y - 4, reach, 4)


def _raft(painter: QPainter, area: QRectF, margin: float = 8.0, gap: float = 2.0, layers: int = 3) -> None:
    y = _bed(painter, area)
    high = min(3.0, 12.0 / layers)
    wide = 28 + 2 * margin
    for k in range(layers):
        top = y - (k + 1) * high
        _bar(painter, "raft", area.center().x() - wide / 2, top, wide, high)
    _part(painter, area, y - layers * high - gap)


def _kind(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw the part from the side with its foot."""
    if value == "brim":
        _brim(painter, area, 16)
    elif value == "raft":
        _raft(painter, area)
    else:
        _part(painter, area, _bed(painter, area))


def _side(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw a ring from above, with lines where the brim lies."""
    middle, outer, inner = area.center(), min(area.width(), area.height()) / 2 - 7, 8.0
    painter.setPen(QPen(role_colour("outer-wall"), 1.5))
    painter.setBrush(QColor(PAPER.bone))
    painter.drawEllipse(middle, outer, outer)
    painter.setBrush(QColor(PAPER.sheet))
    painter.drawEllipse(middle, inner, inner)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(role_colour("brim"), 2))
    for step in (2.5, 5):
        if value != "inner":
            painter.drawEllipse(middle, outer + step, outer + step)
        if value != "outer":
            painter.drawEllipse(middle, inner - step, inner - step)


def _width(painter: QPainter, area: QRectF, value: Value) -> None:
    _brim(painter, area, min(float(value) * SCALE, area.width() / 2 - 16))


def _gap(painter: QPainter, area: QRectF, value: Value) -> None:
    _brim(painter, area, 12, min(float(value) * 20, 14))


def _margin(painter: QPainter, area: QRectF, value: Value) -> None:
    _raft(painter, area, min(float(value) * SCALE, area.width() / 2 - 16))


def _over(painter: QPainter, area: QRectF, value: Value) -> None:
    _raft(painter, area, gap=min(float(value) * 20, 14))


def _layers(painter: QPainter, area: QRectF, value: Value) -> None:
    _raft(painter, area, layers=2 + int(float(value)))


FOOT_DRAWINGS: dict[str, Draw] = {
    "foot.kind": _kind,
    "foot.brim_side": _side,
    "foot.brim_width": _width,
    "foot.brim_gap": _gap,
    "foot.raft_margin": _margin,
    "foot.raft_gap": _over,
    "foot.raft_layers": _layers,
}
