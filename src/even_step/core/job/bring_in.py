"""Parts of a job from model files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Copy, Part
from even_step.core.job.value import name_from
from even_step.core.mesh.mesh import Mesh, Model
from even_step.core.mesh.pose import flat_sides
from even_step.core.mesh.turning import turn_matrix, turn_of


def parts_of(path: Path, models: list[Model], copies: int = 1, unit: str | None = None) -> tuple[Part, ...]:
    """Return a part for each model of a file, in the unit the file states, or the one that is given."""
    return tuple(
        Part.model_validate(
            {
                "name": name_from(model.name),
                "file": str(path),
                "object": i,
                "unit": unit or model.unit,
                "copies": copies,
            }
        )
        for i, model in enumerate(models)
    )


def laid_flat(part: Part, mesh: Mesh, *, on_end: bool = False) -> Part:
    """Return the part turned onto its largest flat side, or onto the flat side on which it stands tallest."""
    sides = [matrix for matrix, area in flat_sides(mesh) if area > 0]
    if not sides:
        return part
    tall = [float(np.ptp(mesh.vertices @ matrix[2])) for matrix in sides]
    return part.model_copy(update={"turn": turn_of(sides[int(np.argmax(np.round(tall, 3))) if on_end else 0])})


def kept_in_place(part: Part, mesh: Mesh) -> Part:
    """Return the part with each copy where the file's coordinates put it."""
    xy = (mesh.vertices @ pose_matrix(part, Copy()).T)[:, :2]
    middle = (xy.min(axis=0) + xy.max(axis=0)) / 2
    at = (float(np.round(middle[0], 3)), float(np.round(middle[1], 3)))
    return part.model_copy(update={"copies": tuple(copy.model_copy(update={"at": at}) for copy in part.copies)})


def pose_matrix(part: Part, copy: Copy) -> NDArray[np.float64]:
    """Return the (3, 3) matrix of a copy without its unit: scale, then the part's turn, then the copy's."""
    return turn_matrix((0.0, 0.0, copy.turn)) @ turn_matrix(part.turn) @ np.diag(part.stretch)
