"""Draws texture to come as a relief on the faces that will have it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import moderngl
import numpy as np

from even_step.app.canvas.programs import give, program
from even_step.app.foreseen_texture import Rough

NEARER = 0.0002  # of the depth, by which it lies before the face


class ReliefDrawer:
    """Owns the buffers of what is rough."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._program = program(ctx, "part", "relief")
        self._kept: tuple[tuple[Rough, ...], list[tuple[moderngl.Buffer, moderngl.VertexArray]]] = (), []

    def draw(self, rough: tuple[Rough, ...], seen: Mapping[str, Any]) -> None:
        """Shade what is rough; ``seen`` is how the scene is looked at: seen, eye, light, cut."""
        if rough is not self._kept[0]:
            self.release()
            self._kept = rough, [self._upload(one) for one in rough]
        if not rough:
            return
        give(self._program, stands=np.eye(4), nearer=NEARER, **seen)
        self._ctx.enable(moderngl.BLEND)
        self._ctx.blend_func = moderngl.DST_COLOR, moderngl.ZERO
        self._ctx.disable(moderngl.CULL_FACE)
        for one, (_, array) in zip(*self._kept, strict=True):
            give(self._program, depth=one.depth, spacing=one.spacing)
            array.render(moderngl.TRIANGLES)
        self._ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        self._ctx.disable(moderngl.BLEND)

    def _upload(self, one: Rough) -> tuple[moderngl.Buffer, moderngl.VertexArray]:
        buffer = self._ctx.buffer(np.ascontiguousarray(one.corners, np.float32))
        return buffer, self._ctx.vertex_array(self._program, [(buffer, "3f", "corner")])

    def release(self) -> None:
        """Free all memory."""
        for buffer, array in self._kept[1]:
            array.release()
            buffer.release()
        self._kept = (), []
