"""What is drawn over the layers of a trial: which is on top, voids, marks, the line that was asked, findings, pins."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPolygonF

from even_step.app.canvas.canvas import Canvas
from even_step.app.desk import Desk
from even_step.app.line_in_hand import line_in_hand
from even_step.app.pinning import seen_pins
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import BODY, MARK, font
from even_step.app.voids import Voids
from even_step.app.widgets.layer_marks import WORDS, draw_marks, marks_of
from even_step.app.widgets.slip import draw_measured, draw_slip
from even_step.core.wording import clock

CUBE = 200.0  # points that the paper cube takes, on both sides of what stands in the middle


class LayersOverlay:
    """Draws with the painter of the overlay."""

    def __init__(self, desk: Desk, canvas: Canvas, voids: Voids) -> None:
        self._desk, self._canvas, self._voids = desk, canvas, voids

    def draw(self, painter: QPainter, width: int) -> None:
        """Draw all of it over a canvas so many points wide."""
        if self._canvas.scene.flat:
            self._draw_voids(painter)
        if self._desk.view.station == "Layers":
            self._heading(painter, width)
            self._layer_marks(painter, width)
            self._finding(painter)
            self._asked(painter)
            self._pins(painter)
            self._nozzle(painter)
            self._rule(painter)

    def _seen(self, *points: tuple[float, float, float]) -> list[QPointF]:
        at = self._canvas.camera.project(np.array(points, np.float64))
        return [QPointF(float(x), float(y)) for x, y, _ in at]

    def _draw_voids(self, painter: QPainter) -> None:
        """Mark the voids of the layer in hand: hatched, in the colour of a stop."""
        rings = self._voids.of(self._desk.trials.shown, self._desk.view.layers[1])
        if rings is None or len(rings["start"]) < 2:
            return
        seen = self._canvas.camera.project(np.column_stack((rings["xy"], np.zeros(len(rings["xy"])))))
        path = QPainterPath()
        for a, b in zip(rings["start"][:-1], rings["start"][1:], strict=True):
            path.moveTo(float(seen[a, 0]), float(seen[a, 1]))
            for x, y, _ in seen[a + 1 : b]:
                path.lineTo(float(x), float(y))
            path.closeSubpath()
        painter.setPen(QPen(QColor(PAPER.stop), 1))
        painter.setBrush(QBrush(QColor(PAPER.stop), Qt.BrushStyle.BDiagPattern))
        painter.drawPath(path)

    def _heading(self, painter: QPainter, width: int) -> None:
        """Say which layer is on top."""
        trial, layer = self._desk.trials.shown, self._desk.view.layers[1]
        if trial is None or trial.lines is None or layer >= trial.lines.count:
            return
        lines = trial.lines
        words = (
            f"layer {layer + 1} of {lines.count} · z {lines.top[layer]:.2f} mm · "
            f"height {lines.thick[layer]:.2f} mm · {clock(float(lines.layer_time[layer]))}"
        )
        rings = self._voids.of(trial, layer) if self._canvas.scene.flat else None
        if rings is not None:
            words += f" · {len(np.unique(rings['polygon']))} voids marked" if len(rings["xy"]) else " · no voids"
        painter.setFont(font(BODY))
        if painter.fontMetrics().horizontalAdvance(words) > width - CUBE:
            words = f"layer {layer + 1} of {lines.count} · z {lines.top[layer]:.2f} mm"
        wide = painter.fontMetrics().horizontalAdvance(words) + 20
        slip = QRectF(max(4.0, min((width - wide) / 2, width - CUBE / 2 - wide)), 14, wide, 24)
        painter.fillRect(slip, QColor(PAPER.sheet))
        painter.setPen(QColor(PAPER.ink))
        painter.drawText(slip, Qt.AlignmentFlag.AlignCenter, words)

    def _asked(self, painter: QPainter) -> None:
        """Draw over the line that was asked, and mark where."""
        points = self._desk.asked_line.points
        if len(points) < 2:
            return
        if self._canvas.scene.flat:
            points[:, 2] = 0.0
        line = QPolygonF(self._seen(*map(tuple, points)))
        x, y, z = self._desk.asked_line.place
        (at,) = self._seen((x, y, 0.0 if self._canvas.scene.flat else z))
        for colour, wide in ((PAPER.sheet, 4.0), (PAPER.accent, 1.8)):
            painter.setPen(QPen(QColor(colour), wide))
            painter.drawPolyline(line)
            painter.drawEllipse(at, 5, 5)

    def _layer_marks(self, painter: QPainter, width: int) -> None:
        """Mark seams, retractions and lifts of the layer in hand."""
        trial, view = self._desk.trials.shown, self._desk.view
        if not view.marks or trial is None or trial.lines is None or trial.lines.count == 0:
            return
        layer = min(view.layers[1], trial.lines.count - 1)
        draw_marks(painter, self._canvas.camera, marks_of(trial.lines, layer))
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.ink))
        painter.drawText(QRectF(0, 40, width, 18), Qt.AlignmentFlag.AlignHCenter, WORDS)

    def _pins(self, painter: QPainter) -> None:
        """Draw the pins, each with its number; the one looked at is filled."""
        flat = self._canvas.scene.flat
        painter.setFont(font(MARK))
        for number, (x, y, z) in seen_pins(self._desk):
            foot = self._seen((x, y, 0.0 if flat else z))[0]
            head = QRectF(foot.x() - 9, foot.y() - 34, 18, 18)
            looked_at = number == self._desk.view.pin
            painter.setPen(QPen(QColor(PAPER.accent), 1.6))
            painter.drawLine(foot, QPointF(foot.x(), foot.y() - 16))
            painter.setBrush(QColor(PAPER.accent if looked_at else PAPER.sheet))
            painter.drawEllipse(head)
            painter.setPen(QColor(PAPER.sheet if looked_at else PAPER.accent))
            painter.drawText(head, Qt.AlignmentFlag.AlignCenter, str(number + 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _nozzle(self, painter: QPainter) -> None:
        """Draw the nozzle where the path in hand has come to, while the layer is not done."""
        view = self._desk.view
        found = line_in_hand(self._desk.trials.shown, view)
        if found is None or (view.along >= 1.0 and not view.playing):
            return
        x, y, z = found[1]
        (tip,) = self._seen((x, y, 0.0 if self._canvas.scene.flat else z))
        painter.setPen(QPen(QColor(PAPER.ink), 1.4))
        painter.setBrush(QColor(PAPER.sheet))
        if self._canvas.scene.flat:
            painter.drawEllipse(tip, 5, 5)
        else:
            around = ((-1.5, 0), (-7, -9), (-7, -24), (7, -24), (7, -9), (1.5, 0))
            painter.drawPolygon(QPolygonF([tip + QPointF(dx, dy) for dx, dy in around]))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _rule(self, painter: QPainter) -> None:
        """Draw the rule that is laid on the layers, and what it reads."""
        rule, flat = self._desk.rule, self._canvas.scene.flat
        if not rule.in_hand:
            return
        ends = self._seen(*((x, y, 0.0 if flat else z) for x, y, z in rule.places)) if rule.places else []
        draw_measured(painter, ends, rule.reading)
        if len(ends) < 2:
            words = "click where to" if ends else "measure: click where from, or Enter for the line in hand"
            middle = ends[0] - QPointF(0, 16) if ends else QPointF(self._canvas.width() / 2, 70)
            draw_slip(painter, middle, words, PAPER.accent)

    def _finding(self, painter: QPainter) -> None:
        """Ring the place of the finding in hand."""
        trial, number = self._desk.trials.shown, self._desk.view.finding
        if trial is None or not 0 <= number < len(trial.report["findings"]):
            return
        finding = trial.report["findings"][number]
        if not finding["part"]:
            return  # the whole job has no place
        at = self._seen((*finding["at_mm"], 0.0 if self._canvas.scene.flat else finding["z_mm"]))[0]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, wide in ((PAPER.sheet, 5.0), (PAPER.ink, 2.0)):
            painter.setPen(QPen(QColor(colour), wide))
            painter.drawEllipse(at, 14, 14)
