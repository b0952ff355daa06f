"""Shapes of zones as meshes, posed as their part is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import JobError
from even_step.core.job.model import Part
from even_step.core.job.zones import Zone
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.mesh.solids import ball, box, cylinder
from even_step.core.mesh.turning import turn_matrix
from even_step.core.slicing.supports.by_hand import ByHand
from even_step.core.slicing.zones import ZoneShapes

SOLIDS = {"box": box, "cylinder": cylinder, "ball": ball}


def zone_shapes(part: Part, model: Model, matrix: NDArray[np.float64], frame: ByHand) -> ZoneShapes:
    """Return the shapes of a part's zones in its solid's frame.

    Parameters
    ----------
    model
        Of the part, with the bodies that belong to it.
    matrix : (3, 3) float64
        From the file's numbers to mm, as the part is turned.
    frame
        From the part's frame to the solid's.

    Raises
    ------
    JobError
        When a zone names a body that does not belong to the part.
    """
    meshes = tuple(
        _solid(zone, frame) if zone.body is None else _of_body(part, model, zone, matrix, frame) for zone in part.zones
    )
    return ZoneShapes(meshes, tuple(zone.snap for zone in part.zones))


def _solid(zone: Zone, frame: ByHand) -> Mesh:
    made = SOLIDS[zone.shape](np.array(zone.size)).mapped(turn_matrix(zone.turn))
    return _shifted(Mesh(made.vertices + np.array(zone.middle), made.faces).mapped(frame.matrix), frame)


def _of_body(part: Part, model: Model, zone: Zone, matrix: NDArray[np.float64], frame: ByHand) -> Mesh:
    numbers = list(part.bodies or range(len(model.bodies)))
    if zone.body not in numbers:
        raise JobError(
            f"has no body {zone.body} for zone {zone.title}",
            subject=part.name,
            remedy="bodies are counted from 0: " + ", ".join(map(str, numbers)),
        )
    return _shifted(model.bodies[numbers.index(zone.body)].mesh.mapped(matrix), frame)


def _shifted(mesh: Mesh, frame: ByHand) -> Mesh:
    return Mesh(mesh.vertices + frame.shift, mesh.faces)
