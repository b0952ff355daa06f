"""The last step of every format with numbered vertices."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.weld import BadCorner, Welded, weld_indexed


def welded_mesh(path: Path, vertices: NDArray[np.float64], faces: NDArray[np.int64], notes: list[str]) -> Mesh:
    """Weld an indexed mesh and note what was left out.

    Raises
    ------
    InputError
        When there is no facet, an index names no vertex, or a coordinate is no usable number.
    """
    if len(faces) == 0:
        raise InputError("holds no facets", subject=path, remedy="export the model again")
    if int(faces.min()) < 0 or int(faces.max()) >= len(vertices):
        facet = int(np.flatnonzero(((faces < 0) | (faces >= len(vertices))).any(axis=1))[0])
        raise InputError(
            f"facet {facet + 1} names a vertex that does not exist (there are {len(vertices)})",
            subject=path,
            remedy="export the model again",
        )
    # Single precision, as STL and 3MF have it, so that a saved job holds the very same numbers.
    with np.errstate(over="ignore"):
        vertices = vertices.astype(np.float32).astype(np.float64)
    return accepted(path, weld_indexed(vertices, faces), notes)


def accepted(path: Path, result: Welded | BadCorner, notes: list[str]) -> Mesh:
    """Return the welded mesh and note what was left out of it.

    Raises
    ------
    InputError
        When a coordinate is no usable number, or nothing with an area is left.
    """
    if not isinstance(result, Welded):
        raise InputError(
            f"facet {result.facet + 1} has a coordinate that is no usable number",
            subject=path,
            remedy="export the model again",
        )
    if len(result.mesh.faces) == 0:
        raise InputError("holds no facet with an area", subject=path, remedy="export the model again")
    if result.degenerate:
        notes.append(f"{result.degenerate} facets without area were left out")
    return result.mesh
