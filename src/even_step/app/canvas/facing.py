"""The face under the pointer while one is looked for that is to lie on the bed: it lights up, a click lays it down."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from even_step.app.acts.placing import edit
from even_step.app.canvas.picking import Hit, pick
from even_step.app.shelf import ShelfModel
from even_step.core.job import edits
from even_step.core.job.spots import Spot, has_part, part_of
from even_step.core.mesh.turning import down_onto, turn_matrix

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas


ASK = frozenset({"face", "zone-face", "zone-backing"})  # tools that look for a face


@dataclass(frozen=True, eq=False)
class Face:
    """A face of a copy: its facets' corners on the bed, (n, 3, 3), mm; its normal in the frame of the file."""

    spot: Spot
    corners: NDArray[np.float64]
    normal: NDArray[np.float64]


@lru_cache(4)
def _neighbours(model: ShelfModel) -> NDArray[np.int32]:
    from even_step.core.mesh.faces import neighbours  # noqa: PLC0415 - kernels load after the window shows

    return neighbours(model.mesh)


def face_of(hit: Hit) -> Face:
    """Return the face that was hit."""
    from even_step.core.mesh.faces import flat_face  # noqa: PLC0415 - kernels load after the window shows

    mesh, matrix = hit.part.model.mesh, hit.part.matrix
    facets, normal = flat_face(mesh, _neighbours(hit.part.model), hit.facet)
    corners = mesh.vertices[mesh.faces[facets]] @ matrix[:3, :3].T + matrix[:3, 3]
    return Face(hit.spot, corners, normal)


class FaceLight:
    """Looks for faces while the tool in hand asks for one."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self.lit: Face | None = None

    @property
    def looks(self) -> bool:
        """Whether a face is looked for."""
        return self._canvas.desk.view.tool in ASK and self._canvas.scene.lines is None

    def move(self, at: QPointF) -> None:
        """Light the face under the pointer up."""
        if not self.looks:
            return
        scene, camera = self._canvas.scene, self._canvas.camera

        def look() -> Face | None:
            hit = pick(scene, camera, at.x(), at.y())
            return face_of(hit) if hit else None

        def found(face: Face | None) -> None:
            if self.looks and (face is not None or self.lit is not None):
                self.lit = face
                self._canvas.camera_changed.emit()

        self._canvas.desk.background.run("face", look, found)

    def lay_down(self, hit: Hit) -> None:
        """Turn the part that was hit so that the face lies on the bed."""
        desk = self._canvas.desk

        def down(face: Face) -> None:
            if not has_part(desk.job, face.spot.part):
                return  # it was removed while its face was looked for
            part = part_of(desk.job, face.spot.part)
            matrix = down_onto(turn_matrix(part.turn) @ (face.normal / part.stretch))
            edit(desk, f"face of {part.name} down", lambda job: edits.posed_by(job, part.id, matrix))

        self.clear()
        desk.selection.pick([hit.spot])
        desk.background.run("face down", lambda: face_of(hit), down)
        desk.view.set("tool", "turn")

    def clear(self) -> None:
        """Let the light go out."""
        self.lit = None
        self._canvas.camera_changed.emit()
