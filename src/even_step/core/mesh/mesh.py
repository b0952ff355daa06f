"""A triangle mesh, and what a file held."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Vertices = NDArray[np.float64]
Faces = NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles over shared vertices.

    Attributes
    ----------
    vertices : (V, 3) float64
        mm, in the frame of the file until it is posed.
    faces : (F, 3) int32
        Counter-clockwise seen from outside once the winding is repaired.
    """

    vertices: Vertices
    faces: Faces

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """Least and largest corner, (2, 3) float64, mm."""
        columns = self.vertices.T
        return np.array([[axis.min() for axis in columns], [axis.max() for axis in columns]])

    def mapped(self, matrix: NDArray[np.float64]) -> Mesh:
        """Return the mesh turned, stretched or mirrored by a (3, 3) matrix; its facets still look outward."""
        if (matrix == np.eye(3)).all():
            return self
        mirrors = np.linalg.det(matrix) < 0
        return Mesh(self.vertices @ matrix.T, np.ascontiguousarray(self.faces[:, ::-1]) if mirrors else self.faces)


@dataclass(frozen=True, eq=False)
class Body:
    """One body of a part."""

    name: str
    mesh: Mesh


@dataclass(frozen=True, eq=False)
class Model:
    """One part as a file holds it.

    Attributes
    ----------
    name : str
        From the file, else from the file's name.
    bodies : tuple of Body
        At least one; they move together.
    unit : str
        The unit the file states, or ``mm`` where it states none.
    unit_stated : bool
        Whether the file states it.
    repairs, warnings : tuple of str
        What was mended, and what remains, in plain words.
    closed : bool
        Whether every edge joins facets of opposite sense, as round a solid.
    """

    name: str
    bodies: tuple[Body, ...]
    unit: str = "mm"
    unit_stated: bool = False
    repairs: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    closed: bool = True

    @property
    def triangles(self) -> int:
        """How many facets all bodies have."""
        return sum(len(body.mesh.faces) for body in self.bodies)

    def merged(self) -> Mesh:
        """Return all bodies as one mesh."""
        if len(self.bodies) == 1:
            return self.bodies[0].mesh
        starts = np.cumsum([0, *(len(body.mesh.vertices) for body in self.bodies[:-1])])
        faces = [body.mesh.faces + np.int32(at) for body, at in zip(self.bodies, starts, strict=True)]
        return Mesh(np.concatenate([body.mesh.vertices for body in self.bodies]), np.concatenate(faces))
