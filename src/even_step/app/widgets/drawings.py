"""Small drawings that show what a setting does, at its value now and at the value under it."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from even_step.app.theme.colours import PAPER, role_colour
from even_step.app.theme.type import MARK, font
from even_step.app.widgets.foot_drawings import FOOT_DRAWINGS
from even_step.app.widgets.support_drawings import SUPPORT_DRAWINGS
from even_step.core.catalogue.setting import Setting, Value, numbers_of
from even_step.core.job.differences import value_text

BOX = QSize(96, 44)
MOST_LOOPS = 3  # of a skirt, as far as there is room to draw them
Draw = Callable[[QPainter, QRectF, Value], None]


def _pen(role: str, width: float) -> QPen:
    pen = QPen(role_colour(role), width)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    return pen


def _inside(painter: QPainter, area: QRectF, share: float, angles: tuple[float, ...], last: float = 0.5) -> None:
    """Draw walls round lines as close as a share of plastic asks; ``last`` shifts the last family, in spacings."""
    painter.setPen(QPen(role_colour("outer-wall"), 4))
    painter.drawRect(area.adjusted(2, 2, -2, -2))
    room = area.adjusted(4, 4, -4, -4)
    painter.setClipRect(room)
    painter.setPen(_pen("infill", 2))
    apart = 2.0 * len(angles) / max(share, 0.005)
    reach = area.width() + area.height()
    for number, angle in enumerate(angles, 1):
        shift = last if number == len(angles) else 0.5
        painter.save()
        painter.translate(room.center())
        painter.rotate(-angle)
        count = int(reach / apart) + 1
        if apart < reach:
            for k in range(-count, count + 1):
                painter.drawLine(QLineF(-reach, (k + shift) * apart, reach, (k + shift) * apart))
        painter.restore()
    painter.setClipping(False)


def _density(painter: QPainter, area: QRectF, value: Value) -> None:
    _inside(painter, area, float(value) / 100, (45.0,))


STRAIGHT_PATTERNS = {
    "lines": (45.0,),
    "grid": (45.0, -45.0),
    "triangles": (0.0, 60.0, 120.0),
    "kagome": (0.0, 60.0, 120.0),
    "cubic": (30.0, 90.0, 150.0),
}


def _pattern(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw what a pattern looks like in one layer."""
    if value in STRAIGHT_PATTERNS:
        _inside(painter, area, 0.22, STRAIGHT_PATTERNS[str(value)], 0.0 if value == "triangles" else 0.5)
        return
    _inside(painter, area, 0.0, ())
    room = area.adjusted(4, 4, -4, -4)
    painter.setClipRect(room)
    painter.setPen(_pen("infill", 2))
    for line in _curved(str(value), room):
        painter.drawPolyline(QPolygonF(line))
    painter.setClipping(False)


def _curved(pattern: str, room: QRectF) -> list[list[QPointF]]:
    """Return the lines of a pattern that is not straight, as seen in a small frame."""
    left, top, wide, high = room.left(), room.top(), room.width(), room.height()
    match pattern:
        case "concentric" | "star-spiral":
            rings = [room.adjusted(d, d, -d, -d) for d in range(4, int(high / 2), 8)]
            corners = [(ring.topLeft(), ring.topRight(), ring.bottomRight(), ring.bottomLeft()) for ring in rings]
            return [[*four, four[0]] for four in corners]
        case "gyroid":
            waves = range(int(wide / 10) + 2)
            turns = [k * math.pi / 8 for k in range(33)]
            return [
                [QPointF(left + w * 10 + 4 * math.sin(t + w * math.pi), top + t * high / (4 * math.pi)) for t in turns]
                for w in waves
            ]
        case "honeycomb":
            steps = [(0, 0), (0, 8), (7, 12), (7, 20), (0, 24), (0, 32), (7, 36), (7, 44)]
            return [
                [QPointF(left + c * 14 + (x if side else 14 - x), top + y) for x, y in steps]
                for c in range(int(wide / 14) + 1)
                for side in (True, False)
            ]
        case "hilbert":
            squares = _hilbert(3)
            return [
                [
                    QPointF(left + (x + 0.5) * wide / 16 + turn * wide / 2, top + (y + 0.5) * high / 8)
                    for x, y in squares
                ]
                for turn in (0, 1)
            ]
        case _:  # branching: short lines that stand out from the walls
            reach = [(k * wide / 7, (0.45, 0.2, 0.3)[k % 3] * high) for k in range(1, 7)]
            down = [[QPointF(left + x, top), QPointF(left + x, top + long)] for x, long in reach]
            up = [[QPointF(left + x + 5, top + high), QPointF(left + x + 5, top + high - long)] for x, long in reach]
            return down + up


def _hilbert(order: int) -> list[tuple[int, int]]:
    """Return the cells of a Hilbert curve of 2^order columns, in its order."""
    cells = [(0, 0)]
    for level in range(order):
        size = 2**level
        cells = (
            [(y, x) for x, y in cells]
            + [(x, y + size) for x, y in cells]
            + [(x + size, y + size) for x, y in cells]
            + [(2 * size - 1 - y, size - 1 - x) for x, y in cells]
        )
    return cells


def _angle(painter: QPainter, area: QRectF, value: Value) -> None:
    _inside(painter, area, 0.22, numbers_of(value))


def _layer_height(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw a slope as the steps that layers make of it."""
    high = max(3.0, float(value) * 40)
    painter.setPen(QPen(QColor(PAPER.sheet), 0.8))
    painter.setBrush(role_colour("outer-wall"))
    top = area.bottom()
    while top - high >= area.top():
        share = (area.bottom() - top) / area.height()
        wide = area.width() * (1 - 0.7 * share * share)
        painter.drawRoundedRect(QRectF(area.left(), top - high, wide, high), high / 2, high / 2)
        top -= high


def _walls(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw lines that follow the outline."""
    for k in range(min(int(float(value)), 8)):
        painter.setPen(QPen(role_colour("outer-wall" if k == 0 else "inner-wall"), 3.2))
        inset = 2 + 4 * k
        if 2 * inset < area.height():
            painter.drawRoundedRect(area.adjusted(inset, inset, -inset, -inset), 3, 3)


def _rows(painter: QPainter, area: QRectF, count: int, role: str, *, from_top: bool) -> None:
    """Draw a section with full layers above or below sparse ones."""
    rows, high = 9, area.height() / 9
    for k in range(rows):
        full = k < count if from_top else k >= rows - count
        painter.setPen(_pen(role if full else "infill", high * 0.72))
        y = area.top() + (k + 0.5) * high
        if full:
            painter.drawLine(QPointF(area.left() + 3, y), QPointF(area.right() - 3, y))
        else:
            for j in range(5):
                x = area.left() + 6 + j * (area.width() - 12) / 4
                painter.drawPoint(QPointF(x, y))


def _top(painter: QPainter, area: QRectF, value: Value) -> None:
    _rows(painter, area, int(float(value)), "top", from_top=True)


def _bottom(painter: QPainter, area: QRectF, value: Value) -> None:
    _rows(painter, area, int(float(value)), "bottom", from_top=False)


def _skirt(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw a part from above, with the loops round it."""
    foot = area.adjusted(24, 12, -24, -12)
    painter.setBrush(QColor(PAPER.bone))
    painter.setPen(QPen(role_colour("outer-wall"), 2))
    painter.drawRoundedRect(foot, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(role_colour("skirt"), 2))
    for k in range(min(int(float(value)), MOST_LOOPS)):
        out = 4 + 3 * k
        painter.drawRoundedRect(foot.adjusted(-out, -out, out, out), 6, 6)


def _speed(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw how far the nozzle comes in a moment."""
    y = area.center().y() + 6
    reach = min(1.0, float(value) / 200.0) * (area.width() - 16)
    painter.setPen(_pen("infill", 5))
    painter.drawLine(QPointF(area.left() + 6, y), QPointF(area.left() + 6 + reach, y))
    painter.setPen(QPen(QColor(PAPER.ink), 1.2))
    tip = QPointF(area.left() + 6 + reach, y - 3)
    painter.setBrush(QColor(PAPER.sheet))
    painter.drawPolygon(
        QPolygonF([tip, tip + QPointF(-6, -8), tip + QPointF(-6, -18), tip + QPointF(6, -18), tip + QPointF(6, -8)])
    )


def _heat(painter: QPainter, area: QRectF, value: Value) -> None:
    """Draw a thermometer from 0 to 320 °C."""
    bar = area.adjusted(4, area.height() / 2 - 4, -4, -area.height() / 2 + 4)
    painter.setPen(QPen(QColor(PAPER.faint), 1))
    painter.setBrush(QColor(PAPER.sheet))
    painter.drawRoundedRect(bar, 4, 4)
    painter.setBrush(QColor(PAPER.clay))
    painter.drawRoundedRect(
        QRectF(bar.left(), bar.top(), bar.width() * min(1.0, float(value) / 320), bar.height()), 4, 4
    )
    for k in range(5):
        x = bar.left() + bar.width() * k / 4
        painter.drawLine(QPointF(x, bar.bottom() + 3), QPointF(x, bar.bottom() + 7))


DRAWINGS: dict[str, Draw] = {
    "infill.density": _density,
    "infill.pattern": _pattern,
    "top.pattern": _pattern,
    "bottom.pattern": _pattern,
    "infill.angle": _angle,
    "layers.height": _layer_height,
    "layers.first_height": _layer_height,
    "walls.count": _walls,
    "top.layers": _top,
    "bottom.layers": _bottom,
    "skirt.loops": _skirt,
    "motion.print_speed": _speed,
    "motion.outer_wall_speed": _speed,
    "motion.first_layer_speed": _speed,
    "heat.nozzle": _heat,
    "heat.bed": _heat,
    **FOOT_DRAWINGS,
    **SUPPORT_DRAWINGS,
}


class SettingDrawing(QWidget):
    """A setting drawn at its value, and beside it at the value it replaced."""

    def __init__(self, setting: Setting) -> None:
        super().__init__()
        self._setting = setting
        self._draw = DRAWINGS[setting.key]
        self._values: tuple[Value, ...] = (setting.default,)
        self.setFixedHeight(BOX.height() + 18)

    def show_values(self, value: Value, under: Value) -> None:
        """Show the value now and, where it differs, the one under it."""
        self._values = (value,) if value == under else (value, under)
        self.update()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw one or both."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, value in enumerate(self._values):
            area = QRectF(k * (BOX.width() + 24), 0, BOX.width(), BOX.height())
            painter.save()
            painter.setOpacity(1.0 if k == 0 else 0.55)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            self._draw(painter, area, value)
            painter.restore()
            painter.setFont(font(MARK, bold=k == 0))
            painter.setPen(QColor(PAPER.ink if k == 0 else PAPER.faint))
            painter.drawText(
                QRectF(area.left(), area.bottom() + 2, area.width(), 15),
                Qt.AlignmentFlag.AlignCenter,
                value_text(self._setting, value),
            )
        painter.end()
