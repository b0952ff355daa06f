"""Drawings of how supports hold what hangs, seen from the side."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from even_step.app.theme.colours import PAPER, role_colour
from even_step.core.catalogue.setting import Value

Draw = Callable[[QPainter, QRectF, Value], None]
TALL, ARM = 30.0, 7.0  # points: both and the bed have room in a drawing


def _tee(painter: QPainter, area: QRectF) -> tuple[float, float]:
    """Draw a part with two arms; returns the height of the bed and of the arms' undersides."""
    bed = area.bottom() - 4
    middle = area.center().x()
    painter.setPen(QPen(QColor(PAPER.ink), 1.2))
    painter.drawLine(QPointF(area.left(), bed), QPointF(area.right(), bed))
    painter.setPen(QPen(role_colour("outer-wall"), 1.2))
    painter.setBrush(QColor(PAPER.bone))
    painter.drawRect(QRectF(middle - 6, bed - TALL, 12, TALL))
    painter.drawRect(QRectF(middle - 38, bed - TALL - ARM, 76, ARM))
    return bed, bed - TALL


def _columns(painter: QPainter, area: QRectF, bed: float, under: float, apart: float) -> None:
    """Draw upright lines under both arms, with a bar on top."""
    for side in (-1, 1):
        begin = area.center().x() + (side * 23 - 14)
        painter.setPen(QPen(role_colour("support"), 2))
        x = begin + 1
        while x <= begin + 28:
            painter.drawLine(QPointF(x, bed - 1), QPointF(x, under + 6))
            x += apart
        painter.setPen(QPen(role_colour("support-contact"), 2.5))
        painter.drawLine(QPointF(begin, under + 4), QPointF(begin + 28, under + 4))


def _branches(painter: QPainter, area: QRectF, bed: float, under: float) -> None:
    """Draw a trunk under each arm that parts in three."""
    for side in (-1, 1):
        foot = area.center().x() + side * 23
        fork = QPointF(foot, bed - TALL * 0.45)
        painter.setPen(QPen(role_colour("support"), 4))
        painter.drawLine(QPointF(foot, bed - 2), fork)
        painter.setPen(QPen(role_colour("support"), 2))
        for aside in (-10, 0, 10):
            painter.drawLine(fork, QPointF(foot + aside, under + 3))


def _kind(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw what holds the arms."""
    bed, under = _tee(painter, area)
    if value == "tree":
        _branches(painter, area, bed, under)
    elif value != "none":
        _columns(painter, area, bed, under, 9.0 if value == "sheet" else 4.5)


def _from(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw a part with a shelf under one arm: a column stands on it, or none does."""
    bed, under = _tee(painter, area)
    shelf = QRectF(area.center().x() - 38, bed - 12, 32, 12)
    for side, low in ((-1, shelf.top()), (1, bed)):
        if side < 0 and value == "bed":
            continue
        painter.setPen(QPen(role_colour("support"), 2))
        for x in range(-12, 13, 8):
            at = area.center().x() + side * 23 + x
            painter.drawLine(QPointF(at, low - 2), QPointF(at, under + 4))
    painter.setPen(QPen(role_colour("outer-wall"), 1.2))
    painter.setBrush(QColor(PAPER.bone))
    painter.drawRect(shelf)


def _gap(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw the columns so far under the arms."""
    bed, under = _tee(painter, area)
    _columns(painter, area, bed, under - 4 + 1.5 + min(float(value) * 16, 18), 9.0)


def _apart(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw the lines so far apart."""
    bed, under = _tee(painter, area)
    _columns(painter, area, bed, under, max(2.5, min(float(value or 5.0) * 2.2, 28)))


SUPPORT_DRAWINGS: dict[str, Draw] = {
    "supports.kind": _kind,
    "supports.from": _from,
    "supports.gap_above": _gap,
    "supports.line_distance": _apart,
}
