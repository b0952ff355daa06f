"""Where the bed is looked at from. Pure arithmetic: mm in, points of the screen out, and back."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Vector = NDArray[np.float64]
FIELD = 24.0  # degrees from top to bottom
NEAREST, FARTHEST = 5.0, 8000.0  # mm
STEEPEST = 89.9
TURN_A_POINT = 0.35  # degrees
NAMED = {
    "top": (0.0, STEEPEST),
    "front": (0.0, 0.0),
    "right": (90.0, 0.0),
    "back": (180.0, 0.0),
    "left": (270.0, 0.0),
    "below": (0.0, -STEEPEST),
}
USUAL = (-28.0, 38.0)  # yaw and pitch
ROOM = 1.03  # around what is fitted


@dataclass(frozen=True)
class Camera:
    """Looks at a target from a distance; ``yaw`` turns about the bed's z, ``pitch`` is how far above the bed.

    A ``flat`` one looks straight down and sees everything in one scale, as a drawing does.
    """

    target: tuple[float, float, float] = (110.0, 110.0, 10.0)
    distance: float = 700.0
    yaw: float = -28.0
    pitch: float = 38.0
    size: tuple[int, int] = (800, 600)
    flat: bool = False

    @cached_property
    def away(self) -> Vector:
        """Unit vector from the target to the eye."""
        if self.flat:
            return np.array([0.0, 0.0, 1.0])
        yaw, pitch = math.radians(self.yaw - 90.0), math.radians(self.pitch)
        return np.array([math.cos(yaw) * math.cos(pitch), math.sin(yaw) * math.cos(pitch), math.sin(pitch)])

    @property
    def toward_eye(self) -> float:
        """The direction toward the eye along the bed, degrees against the clock from +x."""
        return self.yaw - 90.0

    @cached_property
    def eye(self) -> Vector:
        """Where it stands, mm."""
        return np.asarray(self.target) + self.away * self.distance

    @cached_property
    def axes(self) -> NDArray[np.float64]:
        """Right, up and toward the viewer as rows, (3, 3)."""
        yaw = 0.0 if self.flat else math.radians(self.yaw)
        right = np.array([math.cos(yaw), math.sin(yaw), 0.0])
        (ax, ay, az), (rx, ry, _) = self.away, right
        up = np.array([-az * ry, az * rx, ax * ry - ay * rx])
        return np.stack((right, up, self.away))

    @cached_property
    def matrix(self) -> NDArray[np.float64]:
        """From mm to clip coordinates, (4, 4)."""
        view = np.eye(4)
        view[:3, :3] = self.axes
        view[:3, 3] = -self.axes @ self.eye
        near, far = max(1.0, self.distance * 0.05), self.distance + 2000.0
        up = 1.0 / math.tan(math.radians(FIELD) / 2)
        projection = np.zeros((4, 4))
        if self.flat:
            scale = up / self.distance
            projection[[0, 1], [0, 1]] = scale * self.size[1] / max(1, self.size[0]), scale
            projection[2, 2:] = -2 / (far - near), -(far + near) / (far - near)
            projection[3, 3] = 1.0
            return np.asarray(projection @ view)
        projection[0, 0] = up * self.size[1] / max(1, self.size[0])
        projection[1, 1] = up
        projection[2, 2:] = (far + near) / (near - far), 2 * far * near / (near - far)
        projection[3, 2] = -1.0
        return np.asarray(projection @ view)

    def project(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where points (n, 3) lie on the screen: (n, 3), x and y from its top left, and depth."""
        clip = np.column_stack((points, np.ones(len(points)))) @ self.matrix.T
        depth = np.where(np.abs(clip[:, 3]) < 1e-9, 1e-9, clip[:, 3])
        x = (clip[:, 0] / depth + 1) / 2 * self.size[0]
        y = (1 - clip[:, 1] / depth) / 2 * self.size[1]
        return np.stack((x, y, clip[:, 3]), axis=1)

    def ray(self, x: float, y: float) -> tuple[Vector, Vector]:
        """Return eye and unit direction through a point of the screen."""
        up = math.tan(math.radians(FIELD) / 2)
        across = (2 * x / max(1, self.size[0]) - 1) * up * self.size[0] / max(1, self.size[1])
        right, top, toward = self.axes
        if self.flat:
            off = ((x - self.size[0] / 2) * right - (y - self.size[1] / 2) * top) * self.mm_a_point
            return self.eye + off, -toward
        direction = -toward + across * right + (1 - 2 * y / max(1, self.size[1])) * up * top
        return self.eye, direction / np.linalg.norm(direction)

    def on_plane(self, x: float, y: float, z: float = 0.0) -> Vector | None:
        """Return the point at a height that is seen at a point of the screen; none where the sky is."""
        eye, direction = self.ray(x, y)
        if abs(direction[2]) < 1e-9 or (z - eye[2]) / direction[2] <= 0:
            return None
        return np.asarray(eye + direction * (z - eye[2]) / direction[2])

    @property
    def mm_a_point(self) -> float:
        """How many mm one point of the screen is at the target."""
        return 2 * self.distance * math.tan(math.radians(FIELD) / 2) / max(1, self.size[1])

    def turned(self, dx: float, dy: float) -> Camera:
        """Turn by a drag in points; a flat one is shifted instead."""
        if self.flat:
            return self.panned(dx, dy)
        pitch = min(max(self.pitch + dy * TURN_A_POINT, -STEEPEST), STEEPEST)
        return replace(self, yaw=(self.yaw - dx * TURN_A_POINT) % 360.0, pitch=pitch)

    def panned(self, dx: float, dy: float) -> Camera:
        """Shift by a drag in points."""
        right, up, _ = self.axes
        target = np.asarray(self.target) - (dx * right - dy * up) * self.mm_a_point
        return replace(self, target=_triple(target))

    def zoomed(self, factor: float, x: float, y: float) -> Camera:
        """Come nearer (factor below 1) so that what lies under a point of the screen stays there."""
        distance = min(max(self.distance * factor, NEAREST), FARTHEST)
        factor = distance / self.distance
        right, up, _ = self.axes
        off = ((x - self.size[0] / 2) * right - (y - self.size[1] / 2) * up) * self.mm_a_point
        target = np.asarray(self.target) + off * (1 - factor)
        return replace(self, distance=distance, target=_triple(target))

    def fitted(self, low: Vector, high: Vector, margins: tuple[float, float, float, float] = (0, 0, 0, 0)) -> Camera:
        """Show a box whole, looking the same way, within margins in points at left, top, right and bottom."""
        left, top, right, bottom = margins
        free = max(50, round(self.size[0] - left - right)), max(50, round(self.size[1] - top - bottom))
        fit = _filling(replace(self, size=free), low, high)
        # The same scale on the whole screen, with the middle of the free room over the target.
        whole = replace(fit, size=self.size, distance=fit.distance * self.size[1] / free[1])
        placed = whole.panned((left - right) / 2, (top - bottom) / 2)
        middle = np.array([left + free[0] / 2, top + free[1] / 2])
        for _ in range(3):
            # Aside of the screen's middle perspective stretches what is near, so it may have to go back a little.
            over = float((np.abs(placed.project(_corners(low, high))[:, :2] - middle) / free).max()) * 2
            placed = placed.zoomed(over, *middle) if over > 1.0 else placed
        return placed

    def named(self, view: str) -> Camera:
        """Look from above (``top``), the ``front``, the ``side`` or ``below``, at the same target from as far."""
        yaw, pitch = NAMED[view]
        return replace(self, yaw=yaw, pitch=pitch)

    def quarter(self, way: str) -> Camera:
        """Turn to the next view straight along an axis."""
        if way in {"up", "down"}:
            stops = (-STEEPEST, 0.0, 38.0, STEEPEST)
            later = (
                [s for s in stops if s > self.pitch + 1] if way == "up" else [s for s in stops if s < self.pitch - 1]
            )
            pitch = (min(later) if way == "up" else max(later)) if later else self.pitch
            return replace(self, pitch=pitch)
        step = -90.0 if way == "left" else 90.0
        start = math.floor(self.yaw / 90.0) if way == "right" else math.ceil(self.yaw / 90.0)
        return replace(self, yaw=(start * 90.0 + step) % 360.0)


def _triple(vector: Vector) -> tuple[float, float, float]:
    return float(vector[0]), float(vector[1]), float(vector[2])


def _corners(low: Vector, high: Vector) -> NDArray[np.float64]:
    return np.array([(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])


def _filling(camera: Camera, low: Vector, high: Vector) -> Camera:
    """Fill the screen with a box."""
    corners = _corners(low, high)
    middle = corners.mean(axis=0)
    camera = replace(camera, target=_triple(middle))
    if camera.flat:
        wide, deep = high[0] - low[0], high[1] - low[1]
        need = max(deep, wide * camera.size[1] / max(1, camera.size[0])) * ROOM / 2
        return replace(camera, distance=max(need / math.tan(math.radians(FIELD) / 2), NEAREST))
    for _ in range(3):
        # Perspective makes near corners larger, so the distance that fits is found in a few steps.
        right, up, _ = camera.axes
        half = np.tan(np.radians(FIELD) / 2)
        off = corners - np.asarray(camera.target)
        toward = off @ camera.away
        aspect = camera.size[0] / max(1, camera.size[1])
        need = np.maximum(np.abs(off @ up) / half, np.abs(off @ right) / (half * aspect)) * ROOM + toward
        distance = min(max(float(need.max()), NEAREST), FARTHEST)
        camera = replace(camera, distance=distance)
        seen = camera.project(corners)
        shift = (seen[:, :2].max(axis=0) + seen[:, :2].min(axis=0)) / 2 - np.array(camera.size) / 2
        camera = camera.panned(-float(shift[0]), -float(shift[1]))
    return camera
