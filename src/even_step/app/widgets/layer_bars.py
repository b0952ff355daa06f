"""The strip of bars along the canvas' bottom: one a layer, as tall as the layer takes long."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QWidget

from even_step.app.canvas.canvas import Canvas
from even_step.app.canvas.scene import LinesShape
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER, mixed
from even_step.app.theme.type import MARK, font
from even_step.app.widgets.veil import draw_veil
from even_step.core.wording import clock

HEIGHT = 88
SIDES = 20.0
TALLEST = 44.0
CUT_AT = 3.0  # times the mean


class LayerBars(QWidget):
    """A click or a drag shows the layer under the pointer."""

    def __init__(self, desk: Desk, canvas: Canvas, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._canvas = desk, canvas
        self.setObjectName("layer bars")
        self.setAccessibleName("layers by time")
        self.setFixedHeight(HEIGHT)
        self._drawn = QPixmap()
        self._drawn_for: object = None
        desk.view.changed.connect(lambda _: self.update())
        desk.trials.shown_changed.connect(self.update)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Show bars and the time up to the layer in hand."""
        shape = self._canvas.scene.lines
        if shape is None:
            return
        wanted = (shape.lines, self._desk.view.layers, self._desk.view.along, self.size(), self.devicePixelRatioF())
        if wanted != self._drawn_for:
            self._drawn_for = wanted
            self._drawn = QPixmap(self.size() * self.devicePixelRatioF())
            self._drawn.setDevicePixelRatio(self.devicePixelRatioF())
            self._drawn.fill(Qt.GlobalColor.transparent)
            self._draw(shape)
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._drawn)
        painter.end()

    def _draw(self, shape: LinesShape) -> None:
        """Draw the bars once; the canvas beneath moves more often than they do."""
        painter = QPainter(self._drawn)
        draw_veil(painter, QRectF(self.rect()), ("left", "top"))
        lines = shape.lines
        room = self.width() - 2 * SIDES
        columns = int(min(lines.count, room))
        of = (np.arange(lines.count) * columns) // lines.count
        tall = np.zeros(columns)
        np.maximum.at(tall, of, lines.layer_time)
        # One slow layer would flatten all others: bars end at a few times the mean, and show that they are cut.
        most = min(float(tall.max()), CUT_AT * float(lines.layer_time.mean()))
        cut = tall > most
        tall = np.minimum(tall, most) * TALLEST / max(most, 1e-9)
        step = room / columns
        here = int(of[min(self._desk.view.layers[1], lines.count - 1)])
        low = int(of[min(self._desk.view.layers[0], lines.count - 1)])
        base = self.height() - 6.0
        past, ahead = mixed(PAPER.rule, PAPER.ink, 0.22), QColor(PAPER.rule)
        for k in range(columns):
            colour = QColor(PAPER.accent) if k == here else past if low <= k < here else ahead
            bar = QRectF(SIDES + k * step, base - tall[k], max(step - (1 if step >= 3 else 0), 1), tall[k])
            painter.fillRect(bar, colour)
            if cut[k]:
                painter.fillRect(QRectF(bar.left() - 1, bar.top() + 5, bar.width() + 2, 2), QColor(PAPER.paper))
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.ink))
        words = f"{clock(self._elapsed())} of {clock(float(lines.layer_time.sum()))}"
        x = SIDES + (here + 0.5) * step
        wide = painter.fontMetrics().horizontalAdvance(words) + 8
        left = min(max(x - wide / 2, 4), self.width() - wide - 4)
        painter.drawText(QRectF(left, base - TALLEST - 26, wide, 16), Qt.AlignmentFlag.AlignCenter, words)
        self._label(painter, most, QRectF(left, base - TALLEST - 26, wide, 16), some_are_cut=bool(cut.any()))
        painter.drawLine(round(x), round(base - TALLEST - 9), round(x), round(base + 4))
        painter.end()

    def _label(self, painter: QPainter, most: float, taken: QRectF, *, some_are_cut: bool) -> None:
        """Say what the bars are, and how long the tallest takes, at the side that is not taken, if there is one."""
        words = f"time a layer, up to {clock(most)}{' and longer' if some_are_cut else ''}"
        wide = painter.fontMetrics().horizontalAdvance(words) + 4
        left = SIDES if taken.left() > SIDES + wide + 8 else self.width() - SIDES - wide
        if left < taken.right() and left + wide > taken.left():
            return
        painter.setPen(QColor(PAPER.faint))
        painter.drawText(QRectF(left, taken.top(), wide, taken.height()), Qt.AlignmentFlag.AlignLeft, words)
        painter.setPen(QColor(PAPER.ink))

    def _elapsed(self) -> float:
        """Return the printing time up to what is shown, s."""
        shape = self._canvas.scene.lines
        if shape is None:
            return 0.0
        lines = shape.lines
        paths = int(np.searchsorted(lines.path_start, shape.end_of_last, side="left"))
        if self._desk.view.along >= 1.0 or paths == 0:
            return float(lines.layer_time[: shape.last + 1].sum())
        return float(lines.path_end_time[min(paths, len(lines.path_end_time)) - 1])

    def _show(self, event: QMouseEvent) -> None:
        shape = self._canvas.scene.lines
        if shape is not None and event.buttons() & Qt.MouseButton.LeftButton:
            share = (event.position().x() - SIDES) / max(1.0, self.width() - 2 * SIDES)
            layer = int(min(max(share * shape.lines.count, 0), shape.lines.count - 1))
            self._desk.view.show_layers(min(self._desk.view.layers[0], layer), layer, shape.lines.count)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Show the layer under the pointer."""
        self._show(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Follow the pointer."""
        self._show(event)
