"""The rims of picked faces, and the edges of meshes, that zones are drawn by; each found once, beside the window."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.app.canvas.scene import PartShape
from even_step.app.shelf import ShelfModel
from even_step.core.job.model import MM_PER, Part
from even_step.core.job.zones import Zone
from even_step.core.mesh.chains import chained

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

SHARP = 0.8  # cosine between facets that meet in a sharp edge
MOST_EDGES = 300  # drawn of a mesh
MOST_RIMS = 64
UPRIGHTS = 8  # drawn of a carried rim
SQUARE = np.array([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0), (-1, -1, 0)]) / 2
UP = np.array([0.0, 0.0, 0.5])

Lines = list[NDArray[np.float64]]


class Rim(NamedTuple):
    """What a zone is drawn by: its edges, and the facets of its picked faces (n, 3, 3), mm.

    Of a mesh, edges of size 1 about the origin, how large it is by its numbers and where their middle lies, and how
    much of each cell of a grid over it lies within it, (GRID, GRID, GRID) along z, y, x.
    """

    lines: Lines
    facets: NDArray[np.float64]
    spans: NDArray[np.float64] = np.ones(3)
    middle: NDArray[np.float64] = np.zeros(3)
    filled: NDArray[np.uint8] | None = None


GRID = 64  # cells along each axis of a mesh
NO_RIM = Rim([], np.empty((0, 3, 3)))


class ZoneRims:
    """The rims of picked faces, each found once, beside the window."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._known: dict[tuple[object, ...], Rim] = {}

    def of(self, part: Part, shape: PartShape, zone: Zone) -> Lines:
        """Return the rims of picked faces in the part's frame, or a mesh's edges; none while not known.

        Those of a mesh are of size 1 about the origin where the zone has a size of its own, as in its file where not;
        a smooth one is drawn by the box about it.
        """
        if zone.shape == "mesh":
            rim = self.of_file(zone)
            lines = rim.lines or ([] if rim is NO_RIM else box_of_size_1())
            return lines if zone.size else [one * rim.spans + rim.middle for one in lines]
        return self._of_faces(part, shape.model, zone).lines if zone.near else []

    def facets_of(self, part: Part, shape: PartShape, zone: Zone) -> NDArray[np.float64]:
        """Return the facets of picked faces in the part's frame, (n, 3, 3), mm; none while they are not known."""
        return self._of_faces(part, shape.model, zone).facets

    def _of_faces(self, part: Part, model: ShelfModel, zone: Zone) -> Rim:
        key = model, part.unit, zone.near, zone.crease, zone.depth, zone.above
        if key not in self._known:
            if len(self._known) >= MOST_RIMS:
                self._known.clear()  # models that are gone are not to be held
            self._known[key] = NO_RIM
            millimetres = MM_PER[part.unit]

            def found(rim: Rim) -> None:
                self._known[key] = rim
                self._canvas.rebuild()

            self._canvas.desk.background.run(
                f"rim {id(model)} {key[1:]}", lambda: rim_of(model, millimetres, zone), found
            )
        return self._known[key]

    def of_file(self, zone: Zone) -> Rim:
        """Return what a zone of a mesh is drawn by; nothing while its file is not read."""
        model = self._canvas.desk.shelf.of_zone(zone)
        if model is None:
            self._canvas.desk.shelf.want({zone.source}, self._canvas.desk.note)
            return NO_RIM
        key = (model,)
        if key not in self._known:
            self._known[key] = drawn = rim_of_mesh(model)

            def found(cells: NDArray[np.uint8]) -> None:
                self._known[key] = drawn._replace(filled=cells)
                self._canvas.rebuild()

            self._canvas.desk.background.run(f"filled {id(model)}", lambda: _filled(model), found)
        return self._known[key]


def box_of_size_1() -> Lines:
    """Return the edges of a box of size 1 about the origin."""
    return [SQUARE - UP, SQUARE + UP, *(np.stack((one - UP, one + UP)) for one in SQUARE[:-1])]


def _filled(model: ShelfModel) -> NDArray[np.uint8]:
    from even_step.core.mesh.filled import filled  # noqa: PLC0415 - kernels load after the window shows

    return filled(model.mesh, GRID)


def rim_of_mesh(model: ShelfModel) -> Rim:
    """Return the sharp edges of a model, stretched to size 1 about the origin; none where it is smooth."""
    rows = model.edges.astype(np.float64)
    corners, sharp = rows[:, :3], np.einsum("ij,ij->i", rows[:, 3:6], rows[:, 6:9])[::2] < SHARP
    edges = corners.reshape(-1, 2, 3)
    some = edges[sharp]
    some = some[:: max(1, -(-len(some) // MOST_EDGES))]
    low, high = model.extremes.min(axis=0), model.extremes.max(axis=0)
    spans, middle = np.maximum(high - low, 1e-9), (low + high) / 2
    return Rim(chained((some - middle) / spans), NO_RIM.facets, spans, middle)


def rim_of(model: ShelfModel, millimetres: float, zone: Zone) -> Rim:
    """Return the edges of a zone of picked faces: their rims, and as far as they are carried, in the part's frame."""
    from even_step.core.mesh.mesh import Mesh  # noqa: PLC0415 - kernels load after the window shows
    from even_step.core.mesh.patches import nearest, rim, up_to_folds  # noqa: PLC0415

    mesh = Mesh(model.mesh.vertices * millimetres, model.mesh.faces)
    corners, lines, facets = mesh.vertices[mesh.faces], [], []
    for point in zone.near:
        face = corners[up_to_folds(mesh, nearest(corners, np.array(point)).facet, zone.crease)]
        facets.append(face)
        normal = np.cross(face[:, 1] - face[:, 0], face[:, 2] - face[:, 0]).sum(axis=0)
        normal /= max(float(np.linalg.norm(normal)), 1e-30)
        edges = rim(face)
        low, high = edges - zone.depth * normal, edges + zone.above * normal
        lines += [*chained(low), *chained(high)]
        some = range(0, len(edges), max(1, len(edges) // UPRIGHTS))
        lines += [np.stack((low[i, 0], high[i, 0])) for i in some]
    return Rim(lines, np.concatenate(facets))
