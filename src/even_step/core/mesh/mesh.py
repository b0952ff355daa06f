"""A triangle mesh, and what a file held."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

#: What of a file's mesh is mended: nothing, the winding (what can be told for sure), or holes too.
Repair = Literal["none", "winding", "all"]
Vertices = NDArray[np.float64]
Faces = NDArray[np.int32]

ABREAST = 64  # vertices that are reduced side by side, for three columns alone are slow


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
        return np.stack([_reduced(reduce, self.vertices) for reduce in (np.min, np.max)])

    def moved(self, shift: NDArray[np.float64]) -> Mesh:
        """Return the mesh elsewhere, by (3,) mm; its bounds, where they are known, need not be looked for again."""
        there = Mesh(self.vertices + shift, self.faces)
        if "bounds" in vars(self):
            vars(there)["bounds"] = self.bounds + shift
        return there

    def mapped(self, matrix: NDArray[np.float64]) -> Mesh:
        """Return the mesh turned, stretched or mirrored by a (3, 3) matrix; its facets still look outward."""
        if (matrix == np.eye(3)).all():
            return self
        mirrors = np.linalg.det(matrix) < 0
        return Mesh(self.vertices @ matrix.T, np.ascontiguousarray(self.faces[:, ::-1]) if mirrors else self.faces)


@dataclass(frozen=True, eq=False)
class Body:
    """One body of a part; ``closed`` where every edge joins facets of opposite sense, as round a solid.

    ``shells`` is of how many pieces its surface is, 0 where that is not known.
    """

    name: str
    mesh: Mesh
    closed: bool = True
    shells: int = 0


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
    """

    name: str
    bodies: tuple[Body, ...]
    unit: str = "mm"
    unit_stated: bool = False
    repairs: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()

    @property
    def closed(self) -> bool:
        """Whether all bodies are."""
        return all(body.closed for body in self.bodies)

    def only(self, bodies: Sequence[int]) -> Model:
        """Return the part with some of its bodies, by their numbers; all of them where none is named."""
        if not bodies:
            return self
        return replace(self, bodies=tuple(self.bodies[number] for number in bodies))

    @property
    def triangles(self) -> int:
        """How many facets all bodies have."""
        return sum(len(body.mesh.faces) for body in self.bodies)

    def merged(self) -> Mesh:
        """Return all bodies as one mesh."""
        return joined([body.mesh for body in self.bodies])


def joined(meshes: Sequence[Mesh]) -> Mesh:
    """Return meshes as one, their facets in order; a single one is itself."""
    if len(meshes) == 1:
        return meshes[0]
    starts = np.cumsum([0, *(len(mesh.vertices) for mesh in meshes[:-1])])
    faces = [mesh.faces + np.int32(at) for mesh, at in zip(meshes, starts, strict=True)]
    return Mesh(np.concatenate([mesh.vertices for mesh in meshes]), np.concatenate(faces))


def _reduced(reduce: Callable[..., NDArray[np.float64]], vertices: Vertices) -> NDArray[np.float64]:
    """Return the least or the largest of each coordinate, (3,)."""
    whole = len(vertices) // ABREAST * ABREAST
    rest = vertices[whole:]
    if whole:
        abreast = reduce(vertices[:whole].reshape(-1, 3 * ABREAST), axis=0).reshape(ABREAST, 3)
        rest = np.concatenate((rest, abreast))
    return reduce(rest, axis=0)
