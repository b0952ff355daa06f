"""Handles of the open zone: pulled, they move it, size it from one side, or turn it in steps of 15°."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF

from even_step.app.acts.placing import edit
from even_step.app.canvas.scene import PartShape
from even_step.app.canvas.zone_frame import Vector, ZoneFrame, figures
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of
from even_step.core.job.zones import LEAST_SIZE, Zone
from even_step.core.mesh.turning import turn_matrix, turn_of

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

NEAR = 9.0  # points from a handle that still take hold of it
DETENT = 15.0  # degrees
OUT = 1.35  # of half its width: where the handle lies that turns it
SIDES = [(axis, sign) for axis in range(3) for sign in (-1, 1)]
GRAIN = 2  # decimals of what is pulled


@dataclass(frozen=True, eq=False)
class Handle:
    """What a handle does: ``move``, ``size`` with its axis and side, or ``turn``; and where it is on the bed, mm."""

    kind: str
    at: Vector
    axis: int = 2
    sign: int = 1


@dataclass(eq=False)
class _Pull:
    """A handle that is being pulled: the job, the part and the zone as they were, where it began; free of detents."""

    handle: Handle
    job: Job
    part: str
    zone: Zone
    frame: ZoneFrame
    begun: Vector
    free: bool = False


def handles_of(zone: Zone, frame: ZoneFrame) -> list[Handle]:
    """Return the handles of a zone on the bed; one that is of a face or a body has none."""
    if zone.size is None:
        return []
    middle, axes = frame.seen(np.array(zone.middle)), frame.axes(zone)
    half = np.array(zone.size) / 2
    sides = [Handle("size", middle + sign * half[axis] * axes[:, axis], axis, sign) for axis, sign in SIDES]
    turns = [] if zone.shape == "ball" else [Handle("turn", middle + OUT * half[0] * axes[:, 0])]
    return [Handle("move", middle), *sides, *turns]


class ZoneHandles:
    """The handles on a canvas, and the one that is being pulled."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._pull: _Pull | None = None
        self._count = 0

    def _open(self) -> tuple[str, Zone, PartShape] | None:
        """The open zone, where its part is picked and looked at."""
        desk, scene = self._canvas.desk, self._canvas.scene
        known = desk.zoning.open
        if known is None or scene.lines is not None or desk.view.station not in {"Parts", "Recipe"}:
            return None
        spots = desk.selection.spots
        shape = next((one for one in scene.parts if one.spot.part == known[0] and one.spot in spots), None)
        return (*known, shape) if shape else None

    @property
    def shown(self) -> list[Handle]:
        """The handles to draw."""
        known = self._open()
        if known is None:
            return []
        part, zone, shape = known
        return handles_of(zone, ZoneFrame(part_of(self._canvas.desk.job, part), shape.matrix))

    def press(self, at: QPointF) -> bool:
        """Take hold of the handle at a point; returns whether there is one."""
        handles, known = self.shown, self._open()
        if not handles or known is None:
            return False
        seen = self._canvas.camera.project(np.array([one.at for one in handles]))[:, :2]
        far = np.hypot(*(seen - (at.x(), at.y())).T)
        best = int(np.argmin(far))
        if far[best] > NEAR:
            return False
        part, zone, shape = known
        job = self._canvas.desk.job
        self._count += 1
        frame = ZoneFrame(part_of(job, part), shape.matrix)
        self._pull = _Pull(handles[best], job, part, zone, frame, handles[best].at)
        return True

    def move(self, at: QPointF, *, free: bool) -> bool:
        """Pull on; returns whether a handle is held. Free of the detents with ``free``."""
        pull = self._pull
        if pull is None:
            return False
        pull.free = free
        change = {"move": self._moved, "size": self._sized, "turn": self._turned}[pull.handle.kind](pull, at)
        if change:
            self._canvas.stir()
            changed = edits.with_zone_changed(pull.job, pull.part, pull.zone.id, **change)
            self._edit(pull, changed)
        return True

    def release(self) -> bool:
        """Let go; returns whether a handle was held."""
        held, self._pull = self._pull is not None, None
        if held:
            self._canvas.camera_changed.emit()
        return held

    def call_off(self) -> bool:
        """Put it back as it was; returns whether a handle was held."""
        pull, self._pull = self._pull, None
        if pull is not None:
            self._edit(pull, pull.job)
        return pull is not None

    def _edit(self, pull: _Pull, job: Job) -> None:
        verb = {"move": "move zone", "size": "size zone", "turn": "turn zone"}[pull.handle.kind]
        name = f"{verb} of {part_of(job, pull.part).name}"
        edit(self._canvas.desk, name, lambda _: job, held=f"zone handle {self._count}")

    def _moved(self, pull: _Pull, at: QPointF) -> dict[str, object]:
        """Move it level, to where the pointer is."""
        to = self._canvas.camera.on_plane(at.x(), at.y(), float(pull.begun[2]))
        if to is None:
            return {}
        return {"middle": figures(np.round(pull.frame.told(to), GRAIN))}

    def _sized(self, pull: _Pull, at: QPointF) -> dict[str, object]:
        """Move one of its sides; the one across stays. A ball grows all round, a cylinder alike about its axis."""
        zone, handle = pull.zone, pull.handle
        size, middle = np.array(zone.size), np.array(zone.middle)
        axis = pull.frame.axes(zone)[:, handle.axis]
        far = _along(axis, pull.frame.seen(middle), *self._canvas.camera.ray(at.x(), at.y()))
        wanted = max(LEAST_SIZE, round(handle.sign * far + size[handle.axis] / 2, GRAIN))
        if zone.shape == "ball" or (zone.shape == "cylinder" and handle.axis < 2):
            some = slice(0, 3) if zone.shape == "ball" else slice(0, 2)
            size[some] = max(LEAST_SIZE, round(2 * handle.sign * far, GRAIN))
            return {"size": figures(size)}
        shift = handle.sign * (wanted - size[handle.axis]) / 2
        size[handle.axis] = wanted
        return {"size": figures(size), "middle": figures(middle + shift * turn_matrix(zone.turn)[:, handle.axis])}

    def _turned(self, pull: _Pull, at: QPointF) -> dict[str, object]:
        """Turn it about its own upright axis."""
        axes, middle = pull.frame.axes(pull.zone), pull.frame.seen(np.array(pull.zone.middle))
        eye, way = self._canvas.camera.ray(at.x(), at.y())
        normal = axes[:, 2]
        slope = float(way @ normal)
        if abs(slope) < 1e-6:
            return {}
        off = np.linalg.inv(axes) @ (eye + way * (float((middle - eye) @ normal) / slope) - middle)
        angle = float(np.degrees(np.arctan2(off[1], off[0])))
        angle = round(angle, 1) if pull.free else DETENT * round(angle / DETENT)
        return {"turn": figures(np.array(turn_of(turn_matrix(pull.zone.turn) @ turn_matrix((0.0, 0.0, angle)))))}


def _along(axis: Vector, middle: Vector, eye: Vector, way: Vector) -> float:
    """Return how far along an axis through a middle a line of sight passes it nearest, in lengths of the axis."""
    across = np.cross(axis, way)
    square = float(across @ across)
    return float(np.cross(eye - middle, way) @ across) / square if square > 1e-12 else 0.0
