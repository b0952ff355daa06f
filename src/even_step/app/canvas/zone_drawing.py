"""A zone drawn on a part: two clicks and a height, or a click on a face."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF

from even_step.app.acts.zones import new_zone, put_zone
from even_step.app.canvas.picking import Hit
from even_step.app.canvas.zone_frame import Vector, ZoneFrame, figures
from even_step.core.job.spots import Spot, part_of
from even_step.core.job.zones import Zone

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

DEEP = 3.0  # mm behind a picked face, to begin with
LEAST = 0.2  # mm, a smaller box was not meant
TENTH = 0.1  # mm, to which a box is drawn: no pointer is steadier
ROUNDING = 1e-4  # tenths that are no more than rounding
OF_FACES = {"zone-face": "face", "zone-backing": "backing"}  # by tool


class ZoneDrawing:
    """The box that is being drawn: where it began, where it ends, and then its height."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._spot: Spot | None = None
        self._begun: Vector | None = None
        self._end: Vector | None = None
        self._is_set = False

    @property
    def box(self) -> tuple[Vector, Vector] | None:
        """Its least and largest corner on the bed, mm."""
        if self._begun is None or self._end is None:
            return None
        return np.minimum(self._begun, self._end), np.maximum(self._begun, self._end)

    def click(self, hit: Hit | None, at: QPointF) -> None:
        """Take the point under the pointer."""
        tool = self._canvas.desk.view.tool
        if tool in OF_FACES:
            if hit is not None:
                self._of_face(hit, OF_FACES[tool])
        elif self._begun is None:
            if hit is not None:
                self._canvas.desk.selection.pick([hit.spot])
                self._spot, self._begun = hit.spot, np.array(hit.place)
        elif not self._is_set:
            self.move(at)
            self._is_set = self._end is not None
        else:
            self.move(at)
            self.take()
        self._canvas.camera_changed.emit()

    def move(self, at: QPointF) -> None:
        """Follow the pointer: on the plane where it began, then up and down."""
        camera = self._canvas.camera
        if self._begun is None:
            return
        if not self._is_set:
            self._end = camera.on_plane(at.x(), at.y(), float(self._begun[2]))
        elif self._end is not None:
            eye, way = camera.ray(at.x(), at.y())
            level = np.array([way[0], way[1], 0.0])
            far = float(level @ (self._end - eye)) / max(float(level @ level), 1e-12)
            self._end = np.array([self._end[0], self._end[1], max(0.0, float(eye[2] + far * way[2]))])
        self._canvas.camera_changed.emit()

    def take(self) -> bool:
        """Make the zone of what is drawn; returns whether there was enough of it."""
        desk, scene, box = self._canvas.desk, self._canvas.scene, self.box
        shape = next((one for one in scene.parts if one.spot == self._spot), None)
        if shape is None or box is None:
            return False
        low, high = box
        if high[2] - low[2] < LEAST:  # no height yet: as tall as the part
            low[2], high[2] = 0.0, shape.size[2]
        if min(high - low) < LEAST:
            return False
        low, high = np.floor(low / TENTH + ROUNDING) * TENTH, np.ceil(high / TENTH - ROUNDING) * TENTH
        part = part_of(desk.job, shape.spot.part)
        put_zone(desk, part.id, new_zone(desk, part, shape="box", **ZoneFrame(part, shape.matrix).box(low, high)))
        self.leave()
        return True

    def leave(self) -> bool:
        """Stop drawing; returns whether a zone was to be drawn."""
        desk = self._canvas.desk
        had = desk.view.tool == "zone" or desk.view.tool in OF_FACES
        self._spot = self._begun = self._end = None
        self._is_set = False
        if had:
            self._canvas.gestures.faces.clear()
            desk.view.set("tool", "move")
        return had

    def _of_face(self, hit: Hit, shape: str) -> None:
        desk = self._canvas.desk
        part = part_of(desk.job, hit.spot.part)
        near = figures(ZoneFrame(part, hit.part.matrix).told(hit.place))
        desk.selection.pick([hit.spot])
        made = {"shape": shape, "near": (near,), "depth": DEEP}
        zone = Zone.model_validate(made) if shape == "backing" else new_zone(desk, part, **made)
        put_zone(desk, part.id, zone)
        self.leave()
