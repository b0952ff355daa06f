"""Draws parts as veils over the layers that make them."""

from __future__ import annotations

import moderngl
import numpy as np

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.programs import give, program
from even_step.app.canvas.scene import NO_PLANE, Scene
from even_step.app.shelf import ShelfModel
from even_step.app.theme.colours import PAPER


class GhostDrawer:
    """Owns the buffers of the models that are drawn as ghosts."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._program = program(ctx, "part", "ghost")
        self._held: dict[ShelfModel, tuple[moderngl.Buffer, moderngl.VertexArray]] = {}

    def draw(self, scene: Scene, camera: Camera) -> None:
        """Draw the ghosts of a scene; what they hide is not forgotten, so lines may be drawn after them."""
        for model in self._held.keys() - {part.model for part in scene.ghosts}:
            self._free(model)
        if not scene.ghosts:
            return
        plane = scene.lines.cut_plane if scene.lines else NO_PLANE
        give(self._program, seen=camera.matrix, eye=camera.eye, tint=PAPER.ink, nearer=0.0, plane=plane)
        self._ctx.enable(moderngl.BLEND)
        self._ctx.disable(moderngl.CULL_FACE)
        self._ctx.fbo.depth_mask = False
        for part in scene.ghosts:
            give(self._program, stands=part.matrix)
            self._array(part.model).render(moderngl.TRIANGLES)
        self._ctx.fbo.depth_mask = True
        self._ctx.disable(moderngl.BLEND)

    def _array(self, model: ShelfModel) -> moderngl.VertexArray:
        if model not in self._held:
            corners = model.few.vertices[model.few.faces.ravel()]
            buffer = self._ctx.buffer(np.ascontiguousarray(corners, np.float32))
            self._held[model] = buffer, self._ctx.vertex_array(self._program, [(buffer, "3f", "corner")])
        return self._held[model][1]

    def _free(self, model: ShelfModel) -> None:
        buffer, array = self._held.pop(model)
        array.release()
        buffer.release()

    def release(self) -> None:
        """Free all memory."""
        for model in tuple(self._held):
            self._free(model)
        self._program.release()
