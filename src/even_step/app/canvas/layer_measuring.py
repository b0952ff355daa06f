"""Puts the ends of the rule down on the layers."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.line_picking import line_at
from even_step.app.canvas.scene import LinesShape

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

SNAP = 9.0  # points from which a corner of a line draws the rule
Place = tuple[float, float, float]


def place_at(shape: LinesShape, camera: Camera, x: float, y: float) -> Place | None:
    """Return where a point of the screen lies, mm: on a line or its corner; in a section also beside all lines."""
    found = line_at(shape, camera, x, y)
    if found is None:
        bare = camera.on_plane(x, y) if camera.flat else None
        return (float(bare[0]), float(bare[1]), float(shape.lines.top[shape.last])) if bare is not None else None
    path, place = found
    first, last = np.searchsorted(shape.lines.path, (path, path + 1))
    corners = shape.lines.points[first:last, :3].astype(np.float64)
    seen = camera.project(corners * (1.0, 1.0, 0.0 if camera.flat else 1.0))
    far = np.hypot(seen[:, 0] - x, seen[:, 1] - y)
    far[np.abs(corners[:, 2] - place[2]) > 1.0] = np.inf
    nearest = int(np.argmin(far))
    if far[nearest] > SNAP:
        return place
    cx, cy, cz = (float(one) for one in corners[nearest])
    return cx, cy, cz


def measure_at(canvas: Canvas, at: QPointF) -> None:
    """Put an end of the rule down where a point of the screen lies."""
    shape, camera, rule = canvas.scene.lines, canvas.camera, canvas.desk.rule

    def know(place: Place | None) -> None:
        if place is not None and rule.in_hand:
            rule.put(place)

    if shape is not None:
        canvas.desk.background.run("rule", lambda: place_at(shape, camera, at.x(), at.y()), know)
