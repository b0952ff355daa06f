"""The edges of zones as they lie on the bed, and which zone lies under the pointer."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.picking import far_from
from even_step.app.canvas.scene import MESH, MOST_TINTS, PartShape, Scene, Skin, ZoneTint
from even_step.app.canvas.zone_frame import ZoneFrame
from even_step.app.canvas.zone_rims import UP, Lines, ZoneRims, box_of_size_1
from even_step.core.job.model import MM_PER, Job, Part
from even_step.core.job.spots import part_of
from even_step.core.job.zones import PLACED, Zone

NEAR = 6.0  # points from an edge that still pick its zone
SLIP = (40.0, 9.0)  # points about the middle of a name
OVER = 16.0  # points
UNREAD = 10.0  # mm, of a mesh that the window has not read: its place is what can be shown
ROUND = np.linspace(0.0, 2 * np.pi, 49)
CIRCLE = np.stack((np.cos(ROUND), np.sin(ROUND), 0 * ROUND), axis=1) / 2


def zone_lines(part: Part, shape: PartShape, zone: Zone, rim: Lines) -> Lines:
    """Return the edges of a zone of a copy on the bed, each (n, 3), mm.

    ``rim`` are those that ``ZoneRims`` knows.
    """
    frame = ZoneFrame(part, shape.matrix)
    if zone.shape in PLACED:
        unit = frame.unit_frame(zone, float(shape.size[2]))
        unread = UNREAD if zone.size is None else 1.0
        return [one @ unit[:3, :3].T + unit[:3, 3] for one in rim or [unread * edge for edge in _edges(zone.shape)]]
    if zone.near:
        lines = rim
    else:
        if zone.body not in shape.model.numbers:
            return []
        corners = shape.model.bodies[shape.model.numbers.index(zone.body)].extremes * MM_PER[part.unit]
        low, high = corners.min(axis=0), corners.max(axis=0)
        lines = [one * (high - low) + (low + high) / 2 for one in _edges("box")]
    if not lines:
        return []
    seen = frame.seen(np.concatenate(lines))
    seen[:, 2] += {"first": -seen[:, 2].min(), "last": shape.size[2] - seen[:, 2].max()}.get(zone.snap, 0.0)
    return np.split(seen, np.cumsum([len(one) for one in lines[:-1]]))


def box_lines(low: NDArray[np.float64], high: NDArray[np.float64]) -> Lines:
    """Return the edges of a box between two corners."""
    return [one * (high - low) + (low + high) / 2 for one in _edges("box")]


def _edges(shape: str) -> Lines:
    """Return the edges of a shape of size 1 about the origin."""
    if shape == "ball":
        return [CIRCLE, CIRCLE[:, [0, 2, 1]], CIRCLE[:, [2, 0, 1]]]
    if shape == "cylinder":
        return [CIRCLE - UP, CIRCLE + UP, *(np.stack((one - UP, one + UP)) for one in CIRCLE[:-1:12])]
    return box_of_size_1()


def skins_of(job: Job, scene: Scene, rims: ZoneRims) -> tuple[Skin, ...]:
    """Return the picked faces that the zones of picked parts lie along."""
    picked = [(part_of(job, shape.spot.part), shape) for shape in scene.parts if shape.picked]
    zones = [(part, shape, zone) for part, shape in picked for zone in part.zones if zone.near]
    faces = [(part, shape, rims.facets_of(part, shape, zone)) for part, shape, zone in zones]
    return tuple(Skin(shape, ZoneFrame(part, shape.matrix).seen(some)) for part, shape, some in faces if len(some))


def with_meshes(job: Job, scene: Scene, rims: ZoneRims) -> tuple[PartShape, ...]:
    """Return the parts of a scene, the picked ones tinted where zones of meshes reach their surface too."""
    return tuple(
        _with_meshes(part_of(job, shape.spot.part), shape, rims) if shape.picked else shape for shape in scene.parts
    )


def _with_meshes(part: Part, shape: PartShape, rims: ZoneRims) -> PartShape:
    frame, tints = ZoneFrame(part, shape.matrix), []
    for zone in part.zones:
        rim = rims.of_file(zone) if zone.shape == "mesh" else None
        if rim is None or rim.filled is None:
            continue
        unit, own = frame.unit_frame(zone, float(shape.size[2])), np.eye(4)
        if zone.size is None:
            own[:3, :3], own[:3, 3] = np.diag(rim.spans), rim.middle
        tints.append(ZoneTint(MESH, np.asarray(np.linalg.inv(unit @ own), np.float64), rim.filled))
    return replace(shape, tints=(*shape.tints, *tints)[-MOST_TINTS:]) if tints else shape


def name_place(lines: Lines, camera: Camera) -> QPointF:
    """Return where the name of a zone stands on the screen: over its top, clear of a handle there."""
    points = np.concatenate(lines)
    top = camera.project(points[points[:, 2] > points[:, 2].max() - 1e-6].mean(axis=0)[None])[0]
    return QPointF(float(top[0]), float(top[1]) - OVER)


def zones_under(job: Job, scene: Scene, camera: Camera, rims: ZoneRims, at: QPointF) -> list[tuple[str, str]]:
    """Return part and zone of all zones of picked parts that a point of the screen lies over, as far as they reach."""
    found = []
    for shape in scene.parts:
        part = part_of(job, shape.spot.part)
        for zone in part.zones if shape.picked else ():
            lines = zone_lines(part, shape, zone, rims.of(part, shape, zone))
            if lines:
                seen = camera.project(np.concatenate(lines))[:, :2]
                low, high = seen.min(axis=0) - NEAR, seen.max(axis=0) + NEAR
                if low[0] <= at.x() <= high[0] and low[1] <= at.y() <= high[1]:
                    found.append((part.id, zone.id))
    return found


def zone_at(job: Job, scene: Scene, camera: Camera, rims: ZoneRims, at: QPointF) -> tuple[str, str] | None:
    """Return part and zone whose edge or name lies under a point of the screen; of picked parts alone."""
    nearest, best = NEAR, None
    for shape in scene.parts:
        part = part_of(job, shape.spot.part) if shape.picked else None
        for zone in part.zones if part else ():
            lines = zone_lines(part, shape, zone, rims.of(part, shape, zone)) if part else []
            if not lines or part is None:
                continue
            off = name_place(lines, camera) - at
            if abs(off.x()) < SLIP[0] and abs(off.y()) < SLIP[1]:
                return part.id, zone.id
            far = min(far_from(np.array([at.x(), at.y()]), camera.project(line)[:, :2]) for line in lines)
            if far < nearest:
                nearest, best = far, (part.id, zone.id)
    return best
