"""The gap lens: the support under the pointer and the part round it, cut upright and magnified, with its distances."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.canvas import Canvas
from even_step.app.canvas.scene import LinesShape
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.core.toolpath.gaps import HOLD, REACH, Surroundings, pieces_of, seen_near, surroundings
from even_step.core.toolpath.roles import SUPPORT_CONTACT, TABLE

SCALE = 24.0  # points a mm
SIDE = 2 * REACH * SCALE
WORDS = 52.0  # points under the picture
EDGE, OVER_BARS = 12.0, 108.0  # points to the canvas' right edge and its bottom
WAIT = 30  # ms from a move of the pointer on
CATCH = 60.0  # points from the pointer to what it means
ALIKE = 4.0  # points further off, which is as near: what has the part over it is meant
RING = 16.0  # points


class GapLens(QWidget):
    """Lies over the canvas and lets the pointer through; shown while the view has its lens in hand."""

    def __init__(self, desk: Desk, canvas: Canvas, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._canvas = desk, canvas
        self.setObjectName("gap lens picture")
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.found: Surroundings | None = None
        self._pointer: QPointF | None = None
        self._known: tuple[object, Camera] | None = None
        self._ends = np.empty((0, 2, 3))
        self._seen = np.empty((0, 2, 2))
        self._soon = QTimer(self, singleShot=True, interval=WAIT)
        self._soon.timeout.connect(self._look)
        canvas.pointed.connect(self._follow)
        canvas.camera_changed.connect(self._soon.start)
        canvas.scene_changed.connect(self._soon.start)
        desk.view.changed.connect(lambda piece: self._look() if piece in {"lens", "station"} else None)
        self.hide()

    @property
    def searching(self) -> bool:
        """Whether it is still to look where the pointer is."""
        return self._soon.isActive()

    @property
    def told(self) -> str:
        """What it says of the support under the pointer."""
        found = self.found
        if found is None:
            return "no support near the pointer"
        told = [f"above {_figure(found.above)}", f"beside {_figure(found.beside)}"]
        if found.stands_on_bed:
            told.append("on the bed")
        elif np.isfinite(found.below):
            told.append(f"below {_figure(found.below)}")
        return " · ".join(told)

    def _follow(self, at: QPointF) -> None:
        self._pointer = at
        if self._desk.view.lens and not self._soon.isActive():
            self._soon.start()

    def _look(self) -> None:
        view, shape = self._desk.view, self._canvas.scene.lines
        asked = view.lens and view.station == "Layers" and shape is not None
        self.found = self._find(shape) if asked and shape else None
        if not asked:  # lines of a trial that is not looked at are not to be held
            self._known = None
        self.setVisible(asked)
        self.update()

    def _find(self, shape: LinesShape) -> Surroundings | None:
        """Look for the support nearest to the pointer, or to the canvas' middle before it was moved."""
        at = self._pointer or QPointF(self.width() / 2, self.height() / 2)
        self._learn(shape)
        lines, nearest = shape.lines, None
        for place in seen_near(self._ends, self._seen, (at.x(), at.y()), CATCH, ALIKE):
            found = surroundings(lines.points, lines.layer, lines.top, place)
            if np.isfinite(found.above):
                return found
            nearest = nearest or found
        return nearest

    def _learn(self, shape: LinesShape) -> None:
        """Know where supports are seen; contacts where there are some."""
        lines, camera = shape.lines, self._canvas.camera
        known = (lines, shape.first, shape.last), camera
        if known == self._known:
            return
        some = lines.points[int(lines.layer[shape.first]) : int(lines.layer[shape.last + 1])]
        if self._known is None or self._known[0] != known[0]:
            ends = pieces_of(some, (SUPPORT_CONTACT,))
            self._ends = ends if len(ends) else pieces_of(some, HOLD)
        seen = camera.project(self._ends.reshape(-1, 3))[:, :2]
        self._seen, self._known = seen.reshape(-1, 2, 2), known

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw the ring at the place, the way to the picture, and the picture."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.width() - SIDE - EDGE, self.height() - SIDE - WORDS - OVER_BARS, SIDE, SIDE + WORDS)
        if self.found is not None:
            x, y, _ = self._canvas.camera.project(self.found.place[None])[0]
            painter.setPen(QPen(QColor(PAPER.ink), 1.5))
            painter.drawEllipse(QPointF(x, y), RING, RING)
            painter.setPen(QPen(QColor(PAPER.ink), 1))
            way = QLineF(QPointF(x, y), QPointF(box.left(), box.center().y()))
            if way.length() > RING:
                painter.drawLine(way.pointAt(RING / way.length()), way.p2())
        painter.setPen(QPen(QColor(PAPER.accent), 1))
        painter.setBrush(QColor(PAPER.sheet))
        painter.drawRect(box)
        if self.found is not None:
            _draw(painter, self.found, QRectF(box.left(), box.top(), SIDE, SIDE))
        painter.setPen(QColor(PAPER.ink))
        painter.setFont(font(MARK))
        words = QRectF(box.left() + 8, box.bottom() - WORDS + 6, SIDE - 16, WORDS - 8)
        flags = int(Qt.AlignmentFlag.AlignLeft) | int(Qt.TextFlag.TextWordWrap)
        painter.drawText(words, flags, self._caption())
        painter.end()

    def _caption(self) -> str:
        found = self.found
        where = f"×{SCALE:g}, {found.place[2]:.2f} mm up" if found is not None else "Gap lens"
        return f"{where}\n{self.told}"


def _figure(value: float) -> str:
    return f"{value:.2f}" if np.isfinite(value) else "–"


def _draw(painter: QPainter, found: Surroundings, box: QRectF) -> None:
    """Draw the lines that are cut as they lie, with the distances."""
    painter.save()
    painter.setClipRect(box.adjusted(1, 1, -1, -1))
    middle = box.center()
    painter.setPen(Qt.PenStyle.NoPen)
    for left, right, top, height, role in found.cut:
        painter.setBrush(QColor(TABLE[int(role)].colour))
        y = middle.y() - (top - found.place[2]) * SCALE
        line = QRectF(middle.x() + left * SCALE, y, (right - left) * SCALE, height * SCALE).adjusted(0, 0.5, 0, -0.5)
        painter.drawRoundedRect(line, line.height() / 2, line.height() / 2)
    painter.setPen(QPen(QColor(PAPER.accent), 1))
    painter.setFont(font(MARK))
    if np.isfinite(found.above):
        up = found.tip - float(found.place[2])
        _measure(painter, middle, np.array([0.0, up]), np.array([0.0, up + found.above]), found.above)
    if np.isfinite(found.beside):
        a, b = (np.array([end, -found.line[1] / 2]) for end in found.free)
        _measure(painter, middle, a, b, found.beside)
    painter.restore()


def _measure(painter: QPainter, middle: QPointF, a: NDArray[np.float64], b: NDArray[np.float64], value: float) -> None:
    """Draw a distance between two places, mm to the right and up from the middle, with its figure."""
    start, end = (QPointF(middle.x() + at[0] * SCALE, middle.y() - at[1] * SCALE) for at in (a, b))
    line = QLineF(start, end)
    painter.drawLine(line)
    across = line.normalVector().unitVector()
    off = QPointF(across.dx(), across.dy()) * 4
    for at in (start, end):
        painter.drawLine(QLineF(at - off, at + off))
    figure = f"{value:.2f}"
    size = painter.fontMetrics().boundingRect(figure)
    upright = abs(line.dx()) < abs(line.dy())
    room = QRectF(0, 0, size.width() + 6, size.height() + 2)
    room.moveCenter(line.center() + (QPointF(14 + size.width() / 2, 0) if upright else QPointF(0, 14)))
    painter.fillRect(room, QColor(PAPER.sheet))
    painter.drawText(room, Qt.AlignmentFlag.AlignCenter, figure)
