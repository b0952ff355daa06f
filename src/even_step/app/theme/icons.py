"""Line icons, drawn from the shipped SVG in the colour wanted."""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

from even_step.app.theme.colours import PAPER
from even_step.core.job.shipped import DATA

SCALE = 2  # drawn finer, for screens that show more points


@cache
def pixmap(name: str, colour: str = PAPER.ink, size: int = 16) -> QPixmap:
    """Return an icon as a picture."""
    text = (DATA / "icons" / f"{name}.svg").read_text().replace("currentColor", colour)
    drawn = QPixmap(QSize(size, size) * SCALE)
    drawn.fill(Qt.GlobalColor.transparent)
    painter = QPainter(drawn)
    QSvgRenderer(QByteArray(text.encode())).render(painter, QRectF(0, 0, size * SCALE, size * SCALE))
    painter.end()
    drawn.setDevicePixelRatio(SCALE)
    return drawn


@cache
def icon(name: str) -> QIcon:
    """Return an icon in ink, faint when disabled."""
    made = QIcon(pixmap(name))
    made.addPixmap(pixmap(name, PAPER.rule), QIcon.Mode.Disabled)
    return made
