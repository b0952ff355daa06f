"""Three arcs about the part in hand, one for each axis of the bed: pulled along, they turn it in steps of 15°."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from even_step.app.acts.placing import about, edit
from even_step.app.canvas.camera import Camera
from even_step.app.canvas.picking import far_from
from even_step.app.canvas.scene import PartShape
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

DETENT = 15.0  # degrees
NEAR = 9.0  # points from an arc that still take hold of it
WIDE = 150.0  # degrees that an arc spans
STEPS = 40  # of its drawing
EDGE_ON = 0.12  # cosine: an arc seen from nearer to its side than that cannot be pulled
ROOM = 1.12  # of the part's own radius


@dataclass(frozen=True, eq=False)
class Arc:
    """An arc about an axis (0 x, 1 y, 2 z) through a middle, from one angle to another, degrees; mm."""

    axis: int
    middle: NDArray[np.float64]
    radius: float
    first: float
    last: float

    def points(self) -> NDArray[np.float64]:
        """Return points along it, (n, 3)."""
        turn = np.radians(np.linspace(self.first, self.last, STEPS))
        out = np.tile(self.middle, (STEPS, 1))
        out[:, (self.axis + 1) % 3] += self.radius * np.cos(turn)
        out[:, (self.axis + 2) % 3] += self.radius * np.sin(turn)
        return out


@dataclass(eq=False)
class _Pull:
    """An arc that is being pulled: the job as it was, the angle at first, and how far it is turned by now."""

    arc: Arc
    job: Job
    name: str
    spots: tuple[Spot, ...]
    begun: float
    by: float = 0.0


def arcs_about(part: PartShape, camera: Camera) -> list[Arc]:
    """Return the arcs about a part, on the side that the viewer sees; none that is seen edge on."""
    low, high = part.box
    middle, radius = (low + high) / 2, ROOM * float(np.linalg.norm(high - low)) / 2
    toward = camera.eye - middle
    toward = toward / np.linalg.norm(toward)
    out = []
    for axis in range(3):
        if abs(toward[axis]) < EDGE_ON:
            continue
        facing = float(np.degrees(np.arctan2(toward[(axis + 2) % 3], toward[(axis + 1) % 3])))
        out.append(Arc(axis, middle, radius, facing - WIDE / 2, facing + WIDE / 2))
    return out


def angle_at(arc: Arc, camera: Camera, x: float, y: float) -> float | None:
    """Return the angle at which a point of the screen lies in the arc's plane, degrees; none where it misses it."""
    eye, way = camera.ray(x, y)
    if abs(way[arc.axis]) < 1e-9:
        return None
    share = (arc.middle[arc.axis] - eye[arc.axis]) / way[arc.axis]
    if share <= 0:
        return None
    off = eye + share * way - arc.middle
    return float(np.degrees(np.arctan2(off[(arc.axis + 2) % 3], off[(arc.axis + 1) % 3])))


class TurnArcs:
    """The arcs on a canvas, and the one that is being pulled."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._pull: _Pull | None = None
        self._count = 0

    @property
    def shown(self) -> list[Arc]:
        """The arcs to draw, none unless the tool in hand turns."""
        desk, scene = self._canvas.desk, self._canvas.scene
        if self._pull:
            return [self._pull.arc]
        if desk.view.tool != "turn" or desk.view.station != "Parts" or scene.lines is not None:
            return []
        part = next((part for part in scene.parts if part.spot == desk.selection.in_hand), None)
        return arcs_about(part, self._canvas.camera) if part else []

    @property
    def pulled(self) -> tuple[int, float] | None:
        """The axis that is being turned about and by how many degrees."""
        return (self._pull.arc.axis, self._pull.by) if self._pull else None

    def press(self, at: QPointF) -> bool:
        """Take hold of the arc at a point; returns whether there is one."""
        camera, desk = self._canvas.camera, self._canvas.desk
        nearest, best = NEAR, None
        for arc in self.shown:
            seen = camera.project(arc.points())[:, :2]
            far = far_from(np.array([at.x(), at.y()]), seen)
            if far < nearest:
                nearest, best = far, arc
        begun = angle_at(best, camera, at.x(), at.y()) if best else None
        if best is None or begun is None:
            return False
        self._count += 1
        self._pull = _Pull(best, desk.job, f"turn {about(desk)}", desk.selection.spots, begun)
        return True

    def move(self, at: QPointF, *, free: bool) -> bool:
        """Turn on; returns whether an arc is held. Free of the detents with ``free``."""
        pull = self._pull
        if pull is None:
            return False
        angle = angle_at(pull.arc, self._canvas.camera, at.x(), at.y())
        if angle is not None:
            by = (angle - pull.begun + 180.0) % 360.0 - 180.0
            by = round(by, 1) if free else DETENT * round(by / DETENT)
            if by != pull.by:
                pull.by = by
                turned = edits.turned(pull.job, pull.spots, pull.arc.axis, by) if by else pull.job
                self._canvas.stir()
                edit(self._canvas.desk, pull.name, lambda _: turned, held=f"arc {self._count}")
        return True

    def release(self) -> bool:
        """Let go; returns whether an arc was held."""
        held, self._pull = self._pull is not None, None
        if held:
            self._canvas.camera_changed.emit()
        return held

    def call_off(self) -> bool:
        """Turn back to where it was; returns whether an arc was held."""
        pull = self._pull
        if pull is None:
            return False
        self._pull = None
        edit(self._canvas.desk, pull.name, lambda _: pull.job, held=f"arc {self._count}")
        return True
