"""Zones drawn over the canvas: their edges dashed, with their names, and the handles of the one that is open."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.canvas import Canvas
from even_step.app.canvas.scene import PartShape
from even_step.app.canvas.zone_edges import box_lines, name_place, zone_lines
from even_step.app.canvas.zone_handles import Handle
from even_step.app.canvas.zone_rims import Lines
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.core.job.model import Part

HALF = 4.5  # points, of a handle


def draw_zones(painter: QPainter, canvas: Canvas, part: Part, shape: PartShape) -> None:
    """Draw the zones of a copy: those of a picked part stronger, and with their names; the open one strongest."""
    painter.setFont(font(MARK))
    known, camera = canvas.desk.zoning.open, canvas.camera
    for zone in part.zones:
        lines = zone_lines(part, shape, zone, canvas.rims.of(part, shape, zone))
        is_open = shape.picked and known is not None and known[1].id == zone.id
        colour = QColor(PAPER.zone)
        colour.setAlpha(255 if shape.picked else 120)
        painter.setPen(QPen(colour, 2.2 if is_open else 1.5 if shape.picked else 1.0, Qt.PenStyle.DashLine))
        _polylines(painter, camera, lines)
        if lines and shape.picked:
            _name(painter, zone.title, name_place(lines, camera))


def draw_zone_in_hand(painter: QPainter, canvas: Canvas) -> None:
    """Draw the box that is being drawn, and the handles of the open zone."""
    drawing = canvas.gestures.drawing
    if drawing.box is not None:
        painter.setPen(QPen(QColor(PAPER.zone), 2.2, Qt.PenStyle.DashLine))
        _polylines(painter, canvas.camera, box_lines(*drawing.box))
    for handle in canvas.gestures.handles.shown:
        _handle(painter, canvas.camera, handle)


def _polylines(painter: QPainter, camera: Camera, lines: Lines) -> None:
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if not lines:
        return
    seen = camera.project(np.concatenate(lines))[:, :2].tolist()
    first = 0
    for line in lines:
        points = seen[first : first + len(line)]
        first += len(line)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))


def _handle(painter: QPainter, camera: Camera, handle: Handle) -> None:
    """Draw a handle: a disc moves, a square sizes, a ring turns."""
    x, y, _ = camera.project(handle.at[None])[0]
    spot = QRectF(float(x) - HALF, float(y) - HALF, 2 * HALF, 2 * HALF)
    painter.setPen(QPen(QColor(PAPER.zone), 1.8))
    painter.setBrush(QBrush(QColor(PAPER.zone if handle.kind == "move" else PAPER.sheet)))
    if handle.kind == "size":
        painter.drawRect(spot)
    else:
        painter.drawEllipse(spot)
    if handle.kind == "turn":
        painter.drawArc(spot.adjusted(-4, -4, 4, 4), 30 * 16, 240 * 16)


def _name(painter: QPainter, name: str, at: QPointF) -> None:
    """Write a name on a slip of paper, for edges run behind it."""
    wide, tall = painter.fontMetrics().horizontalAdvance(name) + 8, painter.fontMetrics().height()
    slip = QRectF(at.x() - wide / 2, at.y() - tall / 2, wide, tall)
    painter.fillRect(slip, QColor(PAPER.sheet))
    painter.setPen(QColor(PAPER.zone))
    painter.drawText(slip, Qt.AlignmentFlag.AlignCenter, name)
