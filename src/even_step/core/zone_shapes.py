"""Shapes of zones, posed as their part is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import JobError
from even_step.core.job.model import Part
from even_step.core.job.zones import Zone
from even_step.core.mesh.carried import carried
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.mesh.patches import Corners, nearest, up_to_folds
from even_step.core.mesh.solids import ball, box, cylinder
from even_step.core.mesh.turning import turn_matrix
from even_step.core.slicing.backing import Backing
from even_step.core.slicing.supports.by_hand import OFF, ByHand
from even_step.core.slicing.zones import ZoneShapes

SOLIDS = {"box": box, "cylinder": cylinder, "ball": ball}
NOTHING = Mesh(np.empty((0, 3)), np.empty((0, 3), np.int32))


class Posed(NamedTuple):
    """A part as it stands: its model, its mesh, the matrix from the file's numbers to mm, and its frame in the solid's.

    ``file_of`` gives the mesh of a zone that has a file of its own.
    """

    model: Model
    mesh: Mesh
    matrix: NDArray[np.float64]
    frame: ByHand
    file_of: Callable[[Zone], Mesh]


def zone_shapes(part: Part, posed: Posed) -> ZoneShapes:
    """Return the shapes of a part's zones in its solid's frame.

    Raises
    ------
    JobError
        When a zone names a body that does not belong to the part.
    """
    made = [MADE[zone.shape](part, zone, posed) for zone in part.zones]
    shapes = [NOTHING if isinstance(one, str) else one for one in made]
    idle = {number: one for number, one in enumerate(made) if isinstance(one, str)}
    return ZoneShapes(tuple(shapes), tuple(zone.snap for zone in part.zones), idle)


def _solid(_: Part, zone: Zone, posed: Posed) -> Mesh:
    return _placed(_plain(zone.shape, zone.size or ()), zone, posed.frame)


@lru_cache(maxsize=64)
def _plain(shape: str, size: tuple[float, ...]) -> Mesh:
    """Return a simple solid about its middle; copies of a zone have one."""
    return SOLIDS[shape](np.array(size))


def _of_file(_: Part, zone: Zone, posed: Posed) -> Mesh:
    mesh = posed.file_of(zone)
    if zone.size:
        low, high = mesh.bounds
        stretched = (mesh.vertices - (low + high) / 2) * (np.array(zone.size) / np.maximum(high - low, 1e-9))
        mesh = Mesh(stretched, mesh.faces)
    return _placed(mesh, zone, posed.frame)


def _placed(mesh: Mesh, zone: Zone, frame: ByHand) -> Mesh:
    made = mesh.mapped(turn_matrix(zone.turn))
    return _shifted(Mesh(made.vertices + np.array(zone.middle), made.faces).mapped(frame.matrix), frame)


def _of_body(part: Part, zone: Zone, posed: Posed) -> Mesh:
    numbers = list(part.bodies or range(len(posed.model.bodies)))
    if zone.body not in numbers:
        raise JobError(
            f"has no body {zone.body} for zone {zone.title}",
            subject=part.name,
            remedy="bodies are counted from 0: " + ", ".join(map(str, numbers)),
        )
    return _shifted(posed.model.bodies[numbers.index(zone.body)].mesh.mapped(posed.matrix), posed.frame)


def _carried(_: Part, zone: Zone, posed: Posed) -> Mesh | str:
    """Return the outline of picked faces carried along their normals, each face along its own."""
    told = Mesh(posed.frame.told(posed.mesh.vertices), posed.mesh.faces)
    faces = _faces(zone, told)
    if isinstance(faces, str):
        return faces
    solids = [carried(corners, zone.depth, zone.above) for corners in faces]
    ends = np.cumsum([0, *(len(one.vertices) for one in solids)])
    vertices = np.concatenate([one.vertices for one in solids])
    facets = np.concatenate([one.faces + end for one, end in zip(solids, ends, strict=False)]).astype(np.int32)
    return _shifted(Mesh(vertices, facets).mapped(posed.frame.matrix), posed.frame)


def _behind(_: Part, zone: Zone, posed: Posed) -> Backing | str:
    """Return what lies within a depth of picked faces; of a stretched part, as deep as it is stretched on average."""
    faces = _faces(zone, Mesh(posed.frame.told(posed.mesh.vertices), posed.mesh.faces))
    if isinstance(faces, str):
        return faces
    larger = float(abs(np.linalg.det(posed.frame.matrix)) ** (1 / 3))
    # Whatever lies in the part lies within its diagonal of any of its faces.
    low, high = posed.mesh.bounds
    across = float(np.linalg.norm(high - low))
    return Backing(posed.frame.posed(np.concatenate(faces)), min(zone.depth * larger, across))


def _faces(zone: Zone, told: Mesh) -> list[Corners] | str:
    """Return the facets of each picked face, or why a spot lies on none."""
    corners = told.vertices[told.faces]
    taken: list[NDArray[np.int64]] = []
    for point in zone.near:
        spot = nearest(corners, np.array(point))
        if spot.away > OFF:
            return f"the spot it is to begin at lies {spot.away:.1f} mm off the surface"
        if not any(spot.facet in some for some in taken):
            taken.append(up_to_folds(told, spot.facet, zone.crease))
    return [corners[some] for some in taken]


def _shifted(mesh: Mesh, frame: ByHand) -> Mesh:
    return Mesh(mesh.vertices + frame.shift, mesh.faces)


MADE: Mapping[str, Callable[[Part, Zone, Posed], Mesh | Backing | str]] = {
    **dict.fromkeys(SOLIDS, _solid),
    "mesh": _of_file,
    "body": _of_body,
    "face": _carried,
    "backing": _behind,
}
