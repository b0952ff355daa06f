"""Parts of a job from model files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Copy, Machine, Part
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.mesh.pose import best_pose, flat_sides
from even_step.core.mesh.turning import turn_matrix, turn_of


def parts_of(path: Path, models: list[Model], copies: int = 1, unit: str | None = None) -> tuple[Part, ...]:
    """Return a part for each model of a file, in the unit the file states, or the one that is given."""
    return tuple(
        Part.model_validate(
            {"name": model.name, "file": str(path), "object": i, "unit": unit or model.unit, "copies": copies}
        )
        for i, model in enumerate(models)
    )


def posed(part: Part, mesh: Mesh, pose: str, machine: Machine) -> Part:
    """Return the part turned: ``flat`` on its largest flat side, ``best`` as it needs least support."""
    if pose == "keep":
        return part
    sides = flat_sides(mesh, most=1)
    if pose == "flat":
        matrix = sides[0][0] if sides else np.eye(3)
    else:
        matrix = best_pose(mesh, machine.overhang_limit)
    return part.model_copy(update={"turn": turn_of(matrix)})


def kept_in_place(part: Part, mesh: Mesh) -> Part:
    """Return the part with each copy where the file's coordinates put it."""
    xy = (mesh.vertices @ pose_matrix(part, Copy()).T)[:, :2]
    middle = (xy.min(axis=0) + xy.max(axis=0)) / 2
    at = (float(np.round(middle[0], 3)), float(np.round(middle[1], 3)))
    return part.model_copy(update={"copies": tuple(copy.model_copy(update={"at": at}) for copy in part.copies)})


def pose_matrix(part: Part, copy: Copy) -> NDArray[np.float64]:
    """Return the (3, 3) matrix of a copy without its unit: scale, then the part's turn, then the copy's."""
    return turn_matrix((0.0, 0.0, copy.turn)) @ turn_matrix(part.turn) @ np.diag(part.scale)
