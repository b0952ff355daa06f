"""The step curve over the height ruler: layer height drawn against z, with knots to drag."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from even_step.app.acts.curve import move_knot, put_knot, remove_knot
from even_step.app.curving import layers_of
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER, mixed
from even_step.app.theme.type import MARK, font
from even_step.app.widgets.height_ruler import HeightRuler
from even_step.app.widgets.veil import draw_veil
from even_step.core.job.step_curve import Knot
from even_step.core.wording import clock

WIDTH = 190
ROOM = 110.0  # points that the thickest layer of the nozzle is wide
AXIS = 12.0
NEAR = 9.0  # points
GRAIN = 0.01  # mm
LEAST_SPAN = 0.1  # mm
REACH = 0.06  # of the part's height that a new knot reaches either way
GOES = (Qt.Key.Key_Delete, Qt.Key.Key_Backspace)
#: Which way arrows move a knot: up, and to thicker layers.
STEPS = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (1, 0), Qt.Key.Key_Down: (-1, 0)}
KEPT = {*GOES, *STEPS, Qt.Key.Key_Escape}
MIDDLE, LOW, HIGH = "middle", "low", "high"


class StepCurve(QWidget):
    """Drag a knot sideways for its height, up or down to move it, its ends to stretch it; press for a new one."""

    def __init__(self, desk: Desk, ruler: HeightRuler, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._ruler = desk, ruler
        self._held = ""
        self._gestures = 0
        self._offset = 0.0  # from the pointer to the middle of the knot in hand, mm
        self.setObjectName("step curve")
        self.setAccessibleName("step curve")
        self.setToolTip("Layer height against height. Press for a knot; drag it, or its ends; Delete takes it away")
        self.setFixedWidth(WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        desk.curving.changed.connect(self._follow)
        desk.foreseen_heights.changed.connect(self.update)
        self._follow()

    def _follow(self) -> None:
        self.setVisible(self._desk.curving.seen)
        self.update()

    @property
    def _most(self) -> float:
        """The thickest layer there can be, mm."""
        return max(nozzle.layer_height[1] for nozzle in self._desk.job.machine.extruders)

    def x_of(self, height: float) -> float:
        """Return where a layer height lies across the widget."""
        return AXIS + ROOM * height / self._most

    def y_of(self, z: float) -> float:
        """Return where a height lies up the widget."""
        return self._ruler.y_of(z)

    def _knots(self) -> tuple[Knot, ...]:
        part = self._desk.curving.part
        return part.curve if part else ()

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw the layers to come as steps, and the knots."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, bottom = self.y_of(self._ruler.tallest), self.y_of(0)
        draw_veil(painter, QRectF(0, top - 44, WIDTH, bottom - top + 68), ("right", "top", "bottom"))
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.faint))
        for height in (0.0, self._most / 2, self._most):
            x = self.x_of(height)
            painter.drawLine(QPointF(x, top), QPointF(x, bottom))
            painter.drawText(QRectF(x - 20, top - 20, 40, 16), Qt.AlignmentFlag.AlignCenter, f"{height:.3g}")
        self._draw_steps(painter)
        for number, knot in enumerate(self._knots()):
            self._draw_knot(painter, knot, in_hand=number == self._desk.curving.number)
        painter.end()

    def _draw_steps(self, painter: QPainter) -> None:
        part = self._desk.curving.part
        found = self._desk.foreseen_heights.of_part(part.id) if part else None
        if found is None:
            return
        painter.setPen(QPen(mixed(PAPER.paper, PAPER.accent, 0.55), 1.2))
        before = None
        for upper, high in zip(*(side.tolist() for side in found), strict=True):
            x = self.x_of(high)
            if before is not None and before != x:
                painter.drawLine(QPointF(before, self.y_of(upper - high)), QPointF(x, self.y_of(upper - high)))
            painter.drawLine(QPointF(x, self.y_of(upper - high)), QPointF(x, self.y_of(upper)))
            before = x

    def _draw_knot(self, painter: QPainter, knot: Knot, *, in_hand: bool) -> None:
        x, low, high = self.x_of(knot.height), self.y_of(knot.low), self.y_of(knot.high)
        colour = QColor(PAPER.accent)
        painter.setPen(QPen(colour, 3 if in_hand else 2))
        painter.drawLine(QPointF(x, low), QPointF(x, high))
        for y in (low, high):
            painter.drawLine(QPointF(x - 5, y), QPointF(x + 5, y))
        painter.setPen(QPen(colour, 1.5))
        painter.setBrush(colour if in_hand else QColor(PAPER.sheet))
        painter.drawEllipse(QPointF(x, (low + high) / 2), 5, 5)
        if in_hand:
            painter.setFont(font(MARK, bold=True))
            room = QRectF(x + 9, (low + high) / 2 - 16, WIDTH - x, 32)
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, self._told(knot))

    def _told(self, knot: Knot) -> str:
        """Return the height of a knot, and what it costs: at once, for it is being dragged."""
        told, gained = f"{knot.height:.3g} mm", self._desk.curving.gained(knot)
        if gained is None:
            return f"{told}\n{layers_of(knot, self._ruler.tallest)} layers"
        sign = "+" if gained >= 0 else "−"
        return f"{told}\n{sign}{clock(abs(gained))}"

    def _at(self, x: float, y: float) -> tuple[int, str]:
        """Return the knot at a place, −1 for none, and what of it."""
        for number, knot in reversed(list(enumerate(self._knots()))):
            across = abs(x - self.x_of(knot.height))
            low, high = self.y_of(knot.low), self.y_of(knot.high)
            for piece, z in ((MIDDLE, (low + high) / 2), (LOW, low), (HIGH, high)):
                if across <= NEAR and abs(y - z) <= NEAR:
                    return number, piece
            if across <= NEAR and high <= y <= low:
                return number, MIDDLE
        return -1, ""

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Take a knot in hand, or put a new one."""
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self._gestures += 1
        at = event.position()
        number, self._held = self._at(at.x(), at.y())
        z = self._z_at(at.y())
        if number < 0:
            reach = REACH * self._ruler.tallest
            number = put_knot(self._desk, z - reach, z + reach, self._height_at(at.x()), self._gesture)
            self._held = MIDDLE if number >= 0 else ""
        self._desk.curving.take(number)
        knot = self._desk.curving.knot
        self._offset = (knot.low + knot.high) / 2 - z if knot else 0.0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Drag what is in hand."""
        knot = self._desk.curving.knot
        if not self._held or knot is None:
            return
        z = self._z_at(event.position().y())
        if self._held == MIDDLE:
            half = (knot.high - knot.low) / 2
            middle = max(half, z + self._offset)
            height = self._height_at(event.position().x())
            move_knot(self._desk, middle - half, middle + half, height, self._gesture)
        elif self._held == LOW:
            move_knot(self._desk, min(z, knot.high - LEAST_SPAN), knot.high, knot.height, self._gesture)
        else:
            move_knot(self._desk, knot.low, max(z, knot.low + LEAST_SPAN), knot.height, self._gesture)

    @property
    def _gesture(self) -> str:
        return f"knot held {self._gestures}"

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Let go."""
        self._held = ""

    def event(self, event: QEvent) -> bool:
        """Keep the keys that are for the knot in hand: elsewhere Delete takes the part away."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in KEPT:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Delete takes the knot in hand away, arrows move it; Escape closes the curve."""
        knot = self._desk.curving.knot
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Escape:
            self._desk.curving.open(opened=False)
        elif knot is not None and key in GOES:
            remove_knot(self._desk, self._desk.curving.number)
        elif knot is not None and key in STEPS:
            up, thicker = STEPS[key]
            by = max(up * 0.5, -knot.low)
            move_knot(self._desk, knot.low + by, knot.high + by, self._kept(knot.height + thicker * GRAIN))
        else:
            super().keyPressEvent(event)

    def _z_at(self, y: float) -> float:
        low, high = self.y_of(0.0), self.y_of(self._ruler.tallest)
        return float(np.clip((low - y) / (low - high), 0.0, 1.0)) * self._ruler.tallest

    def _height_at(self, x: float) -> float:
        return self._kept(round((x - AXIS) / ROOM * self._most / GRAIN) * GRAIN)

    def _kept(self, height: float) -> float:
        """Return a height within what the nozzles can do."""
        least = min(nozzle.layer_height[0] for nozzle in self._desk.job.machine.extruders)
        return round(float(np.clip(height, least, self._most)), 3)
