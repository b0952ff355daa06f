"""Marks on the layer in hand: where outer walls begin, where filament is drawn back, where the nozzle is raised."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from even_step.app.canvas.camera import Camera
from even_step.app.theme.colours import PAPER
from even_step.app.trials import TrialLines
from even_step.core.toolpath.roles import OUTER_WALL

WORDS = "▲ seams · × drawn back · ○ raised"
HALF = 4.0  # points


class LayerMarks(NamedTuple):
    """Places on the bed, (n, 3) each, mm."""

    seams: NDArray[np.float64]
    drawn_back: NDArray[np.float64]
    raised: NDArray[np.float64]


def marks_of(lines: TrialLines, layer: int) -> LayerMarks:
    """Return the marks of a layer: a seam at the beginning of each closed outer wall, the others where a way begins."""
    first, last = int(lines.layer[layer]), int(lines.layer[layer + 1])
    path, points = lines.path[first:last], lines.points[first:last]
    paths, at = np.unique(path, return_index=True)
    laid = np.flatnonzero(points[:, 3] > 0)
    begin = laid[np.minimum(np.searchsorted(laid, at), max(len(laid) - 1, 0))] if len(laid) else at
    seam = lines.closed[paths] & (points[begin, 5] == OUTER_WALL)
    back = lines.retract[paths] & (at + first > 0)
    # A way begins where the path before it ended.
    ends = np.maximum(at + first - 1, 0)
    raised = back & (lines.lift[paths] > 0)
    return LayerMarks(
        points[begin[seam], :3].astype(np.float64),
        lines.points[ends[back], :3].astype(np.float64),
        lines.points[ends[raised], :3].astype(np.float64),
    )


def draw_marks(painter: QPainter, camera: Camera, marks: LayerMarks) -> None:
    """Draw them: triangles, crosses and rings, so that they are told apart without colour."""
    for seen in _seen(camera, marks.seams):
        painter.setPen(QPen(QColor(PAPER.sheet), 1))
        painter.setBrush(QColor(PAPER.ink))
        up, side = QPointF(0, -HALF - 1), QPointF(HALF, HALF - 1)
        painter.drawPolygon(QPolygonF([seen + up, seen + side, seen + QPointF(-side.x(), side.y())]))
    painter.setBrush(QColor(0, 0, 0, 0))
    for colour, wide in ((PAPER.sheet, 3.4), (PAPER.stop, 1.6)):
        painter.setPen(QPen(QColor(colour), wide))
        for seen in _seen(camera, marks.drawn_back):
            for x in (-HALF, HALF):
                painter.drawLine(seen + QPointF(x, -HALF), seen + QPointF(-x, HALF))
        for seen in _seen(camera, marks.raised):
            painter.drawEllipse(seen, 2 * HALF, 2 * HALF)


def _seen(camera: Camera, places: NDArray[np.float64]) -> list[QPointF]:
    if len(places) == 0:
        return []
    flat = places * (1.0, 1.0, 0.0) if camera.flat else places
    return [QPointF(float(x), float(y)) for x, y, _ in camera.project(flat)]
