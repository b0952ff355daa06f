"""Zones drawn over the canvas: their edges dashed, with their names."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.scene import PartShape
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.core.job.model import MM_PER, Part
from even_step.core.job.zones import Zone
from even_step.core.mesh.turning import turn_matrix

ROUND = np.linspace(0.0, 2 * np.pi, 49)
CIRCLE = np.stack((np.cos(ROUND), np.sin(ROUND), 0 * ROUND), axis=1) / 2
SQUARE = np.array([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0), (-1, -1, 0)]) / 2
UP = np.array([0.0, 0.0, 0.5])

Lines = list[NDArray[np.float64]]


def zone_lines(part: Part, shape: PartShape, zone: Zone) -> Lines:
    """Return the edges of a zone of a copy on the bed, each (n, 3), mm."""
    if zone.body is not None:
        if zone.body not in shape.model.numbers:
            return []
        corners = shape.model.bodies[shape.model.numbers.index(zone.body)].extremes
        low, high = corners.min(axis=0), corners.max(axis=0)
        lines = [one * (high - low) + (low + high) / 2 for one in _edges("box")]
    else:
        size, turn = np.array(zone.size), turn_matrix(zone.turn)
        lines = [((one * size) @ turn.T + zone.middle) / MM_PER[part.unit] for one in _edges(zone.shape)]
    lines = [one @ shape.matrix[:3, :3].T + shape.matrix[:3, 3] for one in lines]
    heights = np.concatenate(lines)[:, 2]
    lift = {"first": -heights.min(), "last": shape.size[2] - heights.max()}.get(zone.snap, 0.0)
    return [one + np.array([0.0, 0.0, lift]) for one in lines]


def _edges(shape: str) -> Lines:
    """Return the edges of a shape of size 1 about the origin."""
    if shape == "ball":
        return [CIRCLE, CIRCLE[:, [0, 2, 1]], CIRCLE[:, [2, 0, 1]]]
    rim = SQUARE if shape == "box" else CIRCLE
    uprights = rim[:-1] if shape == "box" else rim[:-1:12]
    return [rim - UP, rim + UP, *(np.stack((one - UP, one + UP)) for one in uprights)]


def draw_zones(painter: QPainter, camera: Camera, part: Part, shape: PartShape) -> None:
    """Draw the zones of a copy: those of a picked part stronger, and with their names."""
    painter.setFont(font(MARK))
    for zone in part.zones:
        lines = zone_lines(part, shape, zone)
        colour = QColor(PAPER.zone)
        colour.setAlpha(255 if shape.picked else 120)
        painter.setPen(QPen(colour, 1.5 if shape.picked else 1.0, Qt.PenStyle.DashLine))
        for line in lines:
            seen = camera.project(line)
            painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y, _ in seen]))
        if lines and shape.picked:
            points = np.concatenate(lines)
            top = camera.project(points[points[:, 2] > points[:, 2].max() - 1e-6].mean(axis=0)[None])[0]
            _name(painter, zone.title, QPointF(float(top[0]), float(top[1])))


def _name(painter: QPainter, name: str, at: QPointF) -> None:
    """Write a name on a slip of paper, for edges run behind it."""
    wide, tall = painter.fontMetrics().horizontalAdvance(name) + 8, painter.fontMetrics().height()
    slip = QRectF(at.x() - wide / 2, at.y() - tall / 2, wide, tall)
    painter.fillRect(slip, QColor(PAPER.sheet))
    painter.setPen(QColor(PAPER.zone))
    painter.drawText(slip, Qt.AlignmentFlag.AlignCenter, name)
