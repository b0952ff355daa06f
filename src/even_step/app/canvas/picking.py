"""What lies under a point of the canvas."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.app.canvas.camera import Camera, Vector
from even_step.app.canvas.scene import PartShape, Scene
from even_step.core.job.spots import Spot


@dataclass(frozen=True, eq=False)
class Hit:
    """A facet under the pointer: of which copy, and where on the bed, mm."""

    spot: Spot
    facet: int
    place: NDArray[np.float64]
    part: PartShape


def pick(scene: Scene, camera: Camera, x: float, y: float) -> Hit | None:
    """Return what is seen at a point of the screen, none where there is only paper."""
    from even_step.core.mesh.ray import first_hit  # noqa: PLC0415 - kernels load after the window shows

    eye, direction = camera.ray(x, y)
    if eye[2] > scene.cut_at:  # nothing over the cut is seen
        if direction[2] >= 0.0:
            return None
        eye = eye + direction * ((eye[2] - scene.cut_at) / -direction[2])
    best: Hit | None = None
    nearest = np.inf
    for part in scene.parts:
        if not _meets(part.box, eye, direction):
            continue
        back = np.linalg.inv(part.matrix)
        hit = first_hit(part.model.mesh, back[:3, :3] @ eye + back[:3, 3], back[:3, :3] @ direction)
        if hit and hit[0] < nearest and eye[2] + direction[2] * hit[0] <= scene.cut_at + 1e-6:
            nearest = hit[0]
            best = Hit(part.spot, hit[1], eye + direction * hit[0], part)
    return best


def far_from(at: NDArray[np.float64], line: NDArray[np.float64]) -> float:
    """Return how far a point of the screen lies from a line of points."""
    a, way = line[:-1], np.diff(line, axis=0)
    share = ((at - a) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-9)
    return float(np.hypot(*(a + np.clip(share, 0, 1)[:, None] * way - at).T).min())


def framed(scene: Scene, camera: Camera, corners: tuple[float, float, float, float]) -> list[Spot]:
    """Return the copies whose middle lies within a rectangle of the screen."""
    if not scene.parts:
        return []
    x0, x1 = sorted(corners[::2])
    y0, y1 = sorted(corners[1::2])
    seen = camera.project(np.array([part.box.mean(axis=0) for part in scene.parts]))
    inside = (seen[:, 0] >= x0) & (seen[:, 0] <= x1) & (seen[:, 1] >= y0) & (seen[:, 1] <= y1)
    return [part.spot for part, kept in zip(scene.parts, inside, strict=True) if kept]


def facet_normal(hit: Hit) -> Vector:
    """Return the outward normal of the facet that was hit, in the frame of its part before any turn."""
    mesh = hit.part.model.mesh
    a, b, c = mesh.vertices[mesh.faces[hit.facet]]  # outward in the file, and divided by the stretch on the bed too
    return np.asarray(np.cross(b - a, c - a))


def _meets(box: NDArray[np.float64], origin: Vector, direction: Vector) -> bool:
    """Whether a ray meets a box (the slab test)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        ways = (box - origin) / direction
    low, high = np.fmin(ways[0], ways[1]), np.fmax(ways[0], ways[1])
    return bool(np.nanmax(low) <= np.nanmin(high) and np.nanmin(high) >= 0)
