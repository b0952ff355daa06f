"""Bring in a file: what it is by its content, read, welded, mended, measured."""

from __future__ import annotations

import dataclasses
import re
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.input import CHECK, size_of
from even_step.core.mesh.holes import with_holes_closed
from even_step.core.mesh.measure import measure
from even_step.core.mesh.mesh import Body, Mesh, Model, Repair
from even_step.core.mesh.read import stl
from even_step.core.mesh.read.indexed import welded_mesh
from even_step.core.mesh.read.isolated import read_isolated
from even_step.core.mesh.read.obj import read_obj
from even_step.core.mesh.read.ply import read_ply
from even_step.core.mesh.shells import Mended, mend
from even_step.core.work import ALONE, Crew

STEP_DEFLECTION = 0.01  # mm, where nothing else is asked for
NO_AREA = 1e-9  # mm²
GLANCE = 1000  # facets
SNIFFED = 1 << 20  # bytes of a text that are looked at to tell what it is
VERTEX = re.compile(rb"^[ \t]*v[ \t]", re.MULTILINE)
LARGEST = 2_000_000_000
KNOWN = "STL, OBJ, PLY, 3MF and STEP can be read"


def file_bytes(path: Path) -> NDArray[np.uint8]:
    """Return the bytes of a file.

    Raises
    ------
    InputError
        When it does not exist, is no plain file, is empty, or is larger than ``LARGEST``.
    """
    if size_of(path) > LARGEST:
        raise InputError(f"is larger than {LARGEST // 1_000_000_000} GB", subject=path)
    try:
        data = np.fromfile(path, np.uint8)
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", subject=path, remedy=CHECK) from error
    if len(data) == 0:
        raise InputError("is empty", subject=path, remedy="export the model again")
    return data


def format_of(path: Path, data: NDArray[np.uint8]) -> str:
    """Tell the format of a file by its content: ``stl``, ``obj``, ``ply``, ``3mf`` or ``step``.

    The extension decides only where the content leaves it open.

    Raises
    ------
    InputError
        When it is none of them.
    """
    head = data[:4096].tobytes()
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if head[:4] == b"PK\x03\x04":
        return "3mf"
    if start[:12] == b"ISO-10303-21":
        return "step"
    if head[:4] in {b"ply\n", b"ply\r"}:
        return "ply"
    if stl.is_text(data):
        return "stl"
    promised = stl.promised_facets(data)
    exact = len(data) == stl.HEADER + stl.FACET.itemsize * promised
    binary = b"\0" in head
    if (exact and promised > 0) or (binary and path.suffix.lower() == ".stl"):
        return "stl"
    if not binary and VERTEX.search(data[:SNIFFED].tobytes()):
        return "obj"
    names = {
        ".3mf": "a 3MF archive",
        ".step": "a STEP file",
        ".stp": "a STEP file",
        ".ply": "a PLY file",
        ".stl": "an STL file",
        ".obj": "an OBJ file",
    }
    wanted = names.get(path.suffix.lower())
    raise InputError(
        f"is not {wanted}, whatever its name says" if wanted else "is no model that is known here",
        subject=path,
        remedy=KNOWN,
    )


def read_model(
    path: Path,
    data: NDArray[np.uint8] | None = None,
    deflection: float = STEP_DEFLECTION,
    repair: Repair = "winding",
    crew: Crew = ALONE,
) -> list[Model]:
    """Read the parts of a model file, mended, with facts told in plain words.

    Parameters
    ----------
    path
        The file.
    data : (N,) uint8, optional
        Its bytes, where they are at hand already.
    deflection
        How far facets may lie off the curved faces of a STEP file, mm.
    repair
        What is mended.
    crew
        Who does the work; called off, it ends the reading.

    Raises
    ------
    InputError
        When the file cannot be read or holds no part; one line that names the file and the remedy.
    """
    data = file_bytes(path) if data is None else data
    kind = format_of(path, data)
    match kind:
        case "stl":
            models = stl.read_stl(path, data, crew)
        case "obj":
            models = read_obj(path, data)
        case "ply":
            models = read_ply(path, data)
        case _:
            models = _read_by_library(kind, path, deflection, crew)
    mended = [_mended(model, repair, crew) for model in models]
    if not any(_has_area(model.merged()) for model in mended):
        raise InputError("holds no facets with an area", subject=path, remedy="export the model again")
    return mended


def _has_area(mesh: Mesh) -> bool:
    """Tell whether facets have an area; mostly the first few do."""
    facets = (mesh.faces[at : at + GLANCE] for at in range(0, len(mesh.faces), GLANCE))
    return any(measure(Mesh(mesh.vertices, some)).area >= NO_AREA for some in facets)


def _read_by_library(kind: str, path: Path, deflection: float, crew: Crew) -> list[Model]:
    unit, parts = read_isolated(kind, path, deflection, crew.look)
    models = []
    for name, bodies in parts:
        notes: list[str] = []
        welded = tuple(Body(body, welded_mesh(path, vertices, faces, notes)) for body, vertices, faces in bodies)
        models.append(Model(name, welded, unit, unit_stated=True, repairs=tuple(notes)))
    return models


@dataclasses.dataclass(frozen=True)
class _Done:
    """What became of a body: the mesh to go on with, what mending it did or would do, and the holes closed."""

    mesh: Mesh
    found: Mended
    holes: int
    open_edges: int

    @property
    def closed(self) -> bool:
        """Whether every edge of the mesh joins facets of opposite sense."""
        return self.open_edges == 0 and (self.mesh is self.found.mesh or self.holes > 0 or not self.found.turned)


def _repaired(mesh: Mesh, repair: Repair, crew: Crew) -> _Done:
    crew.look()
    found = mend(mesh, crew)
    if repair == "none":
        return _Done(mesh, found, 0, found.open_edges)
    if repair == "winding" or found.closed:
        return _Done(found.mesh, found, 0, found.open_edges)
    closed, holes = with_holes_closed(found.mesh)
    again = mend(closed, crew)
    return _Done(again.mesh, found, holes, again.open_edges)


def _mended(model: Model, repair: Repair, crew: Crew) -> Model:
    done = [_repaired(body.mesh, repair, crew) for body in model.bodies]
    bodies = tuple(
        Body(body.name, one.mesh, one.closed, one.found.shells) for body, one in zip(model.bodies, done, strict=True)
    )
    told: tuple[str, ...] = _told(done)
    left: tuple[str, ...] = ()
    if repair == "none":
        left = tuple(f"as read: {line.replace('were', 'could be')}" for line in told)
        told = ()
    open_edges = sum(one.open_edges for one in done)
    if open_edges:
        left += (f"the surface is open: {open_edges} edges lack a neighbour",)
    return dataclasses.replace(model, bodies=bodies, repairs=model.repairs + told, warnings=model.warnings + left)


def _told(done: list[_Done]) -> tuple[str, ...]:
    found = [one.found for one in done]
    counts = (
        (sum(one.doubled for one in found), "doubled facets were left out"),
        (sum(one.loose for one in found), "loose facets without area were left out"),
        (sum(one.turned for one in found), "flipped facets were turned"),
        (sum(one.turned_shells for one in found), "shells that stand inside out were turned"),
        (sum(one.holes for one in done), "holes were closed"),
    )
    return tuple(f"{count} {words}" for count, words in counts if count)


def scaled(mesh: Mesh, factor: float) -> Mesh:
    """Return a mesh with all coordinates times a factor."""
    return mesh if factor == 1.0 else Mesh(mesh.vertices * factor, mesh.faces)
