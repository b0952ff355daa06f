"""Paper behind figures that lie over the canvas: it lets the canvas through a little, and ends softly."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QLinearGradient, QPainter

from even_step.app.theme.colours import PAPER

GROUND = 215  # of 255
SOFT = 22.0  # points over which it ends

Side = str  # "left", "right", "top" or "bottom"


def draw_veil(painter: QPainter, area: QRectF, soft: Sequence[Side]) -> None:
    """Lay the paper over an area; it fades out toward the sides that are named."""
    veil = QImage(area.size().toSize(), QImage.Format.Format_ARGB32_Premultiplied)
    ground = QColor(PAPER.paper)
    ground.setAlpha(GROUND)
    veil.fill(ground)
    wide, high = float(veil.width()), float(veil.height())
    ends = {
        "left": (QPointF(0, 0), QPointF(SOFT, 0)),
        "right": (QPointF(wide, 0), QPointF(wide - SOFT, 0)),
        "top": (QPointF(0, 0), QPointF(0, SOFT)),
        "bottom": (QPointF(0, high), QPointF(0, high - SOFT)),
    }
    fading = QPainter(veil)
    fading.setCompositionMode(QPainter.CompositionMode.CompositionMode_DestinationIn)
    for side in soft:
        fade = QLinearGradient(*ends[side])
        fade.setColorAt(0.0, Qt.GlobalColor.transparent)
        fade.setColorAt(1.0, Qt.GlobalColor.black)
        fading.fillRect(veil.rect(), fade)
    fading.end()
    painter.drawImage(area.topLeft(), veil)
