"""A small paper cube that shows the way up: drag it to turn the view, click a side to look from there."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from even_step.app.canvas.canvas import Canvas
from even_step.app.theme.colours import PAPER, mixed
from even_step.app.theme.type import MARK, font

SIZE, HALF = 72, 19.0  # points
SLACK = 4.0  # points a press may wander before it is a drag
#: Each side: the view from there, its word, and where it faces.
SIDES = (
    ("top", "top", (0, 0, 1)),
    ("below", "below", (0, 0, -1)),
    ("front", "front", (0, -1, 0)),
    ("back", "back", (0, 1, 0)),
    ("right", "right", (1, 0, 0)),
    ("left", "left", (-1, 0, 0)),
)


class PaperCube(QWidget):
    """Lies over the canvas' upper right corner."""

    def __init__(self, canvas: Canvas, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("paper cube")
        self.setAccessibleName("the way the bed is looked at; named views are in the menu View")
        self.setToolTip("Drag to turn the view, click a side to look from there")
        self.setFixedSize(SIZE, SIZE)
        self._canvas = canvas
        self._begun: QPointF | None = None
        self._last = QPointF()
        canvas.camera_changed.connect(self._follow)
        canvas.scene_changed.connect(self._follow)

    def _follow(self) -> None:
        self.setVisible(not self._canvas.scene.flat)
        self.update()

    def sides(self) -> list[tuple[str, str, QPolygonF, float]]:
        """Return the sides that are seen: view, word, corners on the widget, and how much they face the viewer."""
        axes = self._canvas.camera.axes
        found = []
        for view, word, normal in SIDES:
            facing = float(np.array(normal) @ axes[2])
            if facing <= 0.02:
                continue
            first = np.roll(np.abs(normal), 1)
            second = np.cross(normal, first)
            corners = [np.array(normal) + a * first + b * second for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
            seen = [QPointF(SIZE / 2 + HALF * c @ axes[0], SIZE / 2 - HALF * c @ axes[1]) for c in corners]
            found.append((view, word, QPolygonF(seen), facing))
        return found

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw the sides that are seen, the more they face the viewer the lighter."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(MARK))
        for _view, word, corners, facing in self.sides():
            painter.setPen(QPen(QColor(PAPER.faint), 1))
            painter.setBrush(mixed(PAPER.rule, PAPER.sheet, facing))
            painter.drawPolygon(corners)
            if corners.boundingRect().width() > painter.fontMetrics().horizontalAdvance(word) + 2 and facing > 0.3:
                painter.setPen(QColor(PAPER.ink))
                painter.drawText(corners.boundingRect(), Qt.AlignmentFlag.AlignCenter, word)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Begin a click or a drag."""
        self._begun = self._last = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Turn the view."""
        step, self._last = event.position() - self._last, event.position()
        if self._begun is not None:
            self._canvas.look_from(self._canvas.camera.turned(step.x(), step.y()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Look from the side that was clicked."""
        begun, self._begun = self._begun, None
        if begun is None or (event.position() - begun).manhattanLength() > SLACK:
            return
        for view, _, corners, _ in self.sides():
            if corners.containsPoint(event.position(), Qt.FillRule.OddEvenFill):
                self._canvas.look_from(self._canvas.camera.named(view))
                return
