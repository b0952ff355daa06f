"""3MF through lib3mf: build items, nested components, transforms, names and the unit.

Runs only in the reader's own process (see ``isolated``).
"""

from __future__ import annotations

import ctypes
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.mesh.read.archive import SOME_BODIES

RawBody = tuple[str, NDArray[np.float64], NDArray[np.int64]]
UNITS = {0: ("mm", 0.001), 1: ("mm", 1.0), 2: ("cm", 1.0), 3: ("inch", 1.0), 4: ("mm", 304.8), 5: ("m", 1.0)}
DEEPEST = 64


@dataclass
class _Archive:
    """The objects of a model, expanded only as far as the limits allow."""

    model: Any
    most_bodies: int
    most_triangles: int
    bodies: int = 0
    triangles: int = 0
    counted: dict[int, tuple[int, int]] = field(default_factory=dict)

    def leaves(self, key: int, depth: int = 0) -> tuple[int, int]:
        """Count the bodies and facets below an object, each object once however often it is used."""
        if depth > DEEPEST:
            raise InputError(f"nests components deeper than {DEEPEST}")
        if key in self.counted:
            return self.counted[key]
        item = self.resource(key)
        bodies, triangles = 0, 0
        if item.IsMeshObject():
            bodies, triangles = 1, int(item.GetTriangleCount())
        else:
            for i in range(item.GetComponentCount()):
                below = self.leaves(_key(item.GetComponent(i)), depth + 1)
                bodies, triangles = bodies + below[0], triangles + below[1]
        self.counted[key] = bodies, triangles
        return bodies, triangles

    def admit(self, key: int) -> None:
        """Refuse an object that would expand beyond the limits, before it is expanded."""
        bodies, triangles = self.leaves(key)
        self.bodies += bodies
        self.triangles += triangles
        if self.bodies > self.most_bodies or self.triangles > self.most_triangles:
            raise InputError(f"expands to more than {self.most_bodies} bodies or {self.most_triangles} facets")

    def resource(self, key: int) -> Any:
        """Return the object of a number as what it really is: a mesh or a set of components."""
        try:
            return self.model.GetMeshObjectByID(key)
        except lib3mf.ELib3MFException:
            return self.model.GetComponentsObjectByID(key)

    def expand(self, item: Any, matrix: NDArray[np.float64], out: list[RawBody]) -> None:
        """Append the bodies below an object, placed."""
        if item.IsMeshObject():
            vertices, faces = _geometry(item)
            xyz = vertices @ matrix[:3, :3].T + matrix[:3, 3]
            if np.linalg.det(matrix[:3, :3]) < 0:
                faces = faces[:, ::-1]
            if len(faces):
                out.append((item.GetName() or f"body {len(out) + 1}", xyz, faces))
            return
        for i in range(item.GetComponentCount()):
            part = item.GetComponent(i)
            self.expand(self.resource(_key(part)), matrix @ _matrix(part.GetTransform()), out)


def _key(user: Any) -> int:
    """Return the number of the object that a build item or a component uses."""
    return int(user.GetObjectResource().GetUniqueResourceID())


def _matrix(transform: Any) -> NDArray[np.float64]:
    """Turn a 3MF transform (rows are images of axes, then the shift) into a (4, 4) matrix for columns."""
    fields = np.array([[float(transform.Fields[r][c]) for c in range(3)] for r in range(4)])
    if not np.isfinite(fields).all() or np.abs(fields).max() > 1e9:
        raise InputError("has a transform with a number that is none")
    matrix = np.eye(4)
    matrix[:3, :] = fields.T
    if abs(np.linalg.det(matrix[:3, :3])) < 1e-12:
        raise InputError("has a transform that flattens a body")
    return matrix


def _geometry(item: Any) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Fetch vertices and triangles straight into arrays (the wrapper's lists take seconds a million)."""
    wrapper, handle = item._wrapper, item._handle  # noqa: SLF001 - the wrapper offers no arrays
    vertices = np.empty((item.GetVertexCount(), 3), np.float32)
    faces = np.empty((item.GetTriangleCount(), 3), np.uint32)
    needed = ctypes.c_uint64(0)
    for array, fetch, kind in (
        (vertices, wrapper.lib.lib3mf_meshobject_getvertices, lib3mf.Position),
        (faces, wrapper.lib.lib3mf_meshobject_gettriangleindices, lib3mf.Triangle),
    ):
        buffer = array.ctypes.data_as(ctypes.POINTER(kind))
        wrapper.checkError(item, fetch(handle, ctypes.c_uint64(len(array)), needed, buffer))
    return vertices.astype(np.float64), faces.astype(np.int64)


def parts_of(
    path: Path, name: str, most_bodies: int, most_triangles: int, *, placed: bool
) -> tuple[str, list[tuple[str, list[RawBody]]]]:
    """Read a 3MF file as parts with bodies.

    Parameters
    ----------
    path
        An archive that has been looked through.
    name
        What a part without a name is called.
    placed
        Read the build items as they stand. Else the objects that join all bodies of a model, which are those a job of
        ours refers to: its record says how they stand.

    Raises
    ------
    InputError
        When the library refuses the file, nothing in it is to be built, or it expands beyond the limits.
    """
    model = lib3mf.get_wrapper().CreateModel()
    try:
        reader = model.QueryReader("3mf")
        reader.ReadFromFile(str(path))
    except lib3mf.ELib3MFException as error:
        raise InputError(f"is no sound 3MF: {error}") from error
    unit, factor = UNITS[int(model.GetUnit())]
    archive = _Archive(model, most_bodies, most_triangles)
    parts: list[tuple[str, list[RawBody]]] = []
    for key, matrix, number in _placed(model) if placed else _stored(model):
        archive.admit(key)
        source = archive.resource(key)
        out: list[RawBody] = []
        archive.expand(source, np.diag([factor, factor, factor, 1.0]) @ matrix, out)
        if out:
            parts.append((source.GetName() or number or name, out))
    if not parts:
        raise InputError("has nothing in it that is to be built")
    return unit, parts


def _placed(model: Any) -> Iterator[tuple[int, NDArray[np.float64], str]]:
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        yield _key(item), _matrix(item.GetObjectTransform()), item.GetPartNumber()


def _stored(model: Any) -> Iterator[tuple[int, NDArray[np.float64], str]]:
    items = model.GetComponentsObjects()
    while items.MoveNext():
        item = items.GetCurrentComponentsObject()
        if item.GetPartNumber() != SOME_BODIES:
            yield int(item.GetUniqueResourceID()), np.eye(4), ""
