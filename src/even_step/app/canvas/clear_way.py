"""Takes away what hides a place that is to be looked at."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from even_step.app.canvas.line_picking import Asked, line_at
from even_step.app.cut_plane import CutPlane

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

NEARBY = 3.0  # mm: what lies so near to the place does not hide it
BEFORE = 0.6  # mm, of the place: so much of what lies round it stays


def clear_the_way(canvas: Canvas, place: tuple[float, float, float]) -> None:
    """Cut the layers just before a place where something lies between it and the eye; else leave them whole."""
    view = canvas.desk.view
    if view.plane is not None and view.plane.cleared:
        view.set("plane", None)
    shape, camera = canvas.scene.lines, canvas.camera
    if shape is None or camera.flat or view.plane is not None:
        return
    x, y, depth = (float(one) for one in camera.project(np.array([place]))[0])

    def know(found: Asked | None) -> None:
        if found is None or view.plane is not None or canvas.scene.lines is not shape:
            return
        hides = np.array(found[1])
        nearer = float(camera.project(hides[None, :])[0, 2]) < depth
        if nearer and np.linalg.norm(hides - place) > NEARBY:
            before = CutPlane(place[:2], camera.toward_eye).moved(BEFORE)
            view.set("plane", replace(before, cleared=True))

    canvas.desk.background.run("clear the way", lambda: line_at(shape, camera, x, y), know)
