"""Draws the bed: graph paper."""

from __future__ import annotations

import moderngl
import numpy as np

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.programs import give, program
from even_step.app.canvas.scene import BedShape
from even_step.app.theme.colours import PAPER


class BedDrawer:
    """Owns the sheet of paper."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._program = program(ctx, "bed", "bed")
        self._corners = ctx.buffer(reserve=32, dynamic=True)
        self._array = ctx.vertex_array(self._program, [(self._corners, "2f", "corner")])

    def draw(self, shape: BedShape, camera: Camera) -> None:
        """Draw it into the framebuffer in use."""
        x0, y0, x1, y1 = shape.bed.bounds
        corners = [(x0 - 2, y0 - 2), (x1 + 2, y0 - 2), (x0 - 2, y1 + 2), (x1 + 2, y1 + 2)]
        self._corners.write(np.array(corners, np.float32).tobytes())
        give(
            self._program,
            seen=camera.matrix,
            bounds=(x0, y0, x1, y1),
            is_round=shape.bed.shape == "round",
            paper=PAPER.paper,
            bed=PAPER.bed,
            rule=PAPER.rule,
            faint=PAPER.faint,
            glass=bool(camera.eye[2] < 0.0),
        )
        self._array.render(moderngl.TRIANGLE_STRIP)

    def release(self) -> None:
        """Free its memory."""
        for piece in (self._array, self._corners, self._program):
            piece.release()
