"""Shader programs and frames, made with moderngl."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import moderngl
import numpy as np
from PySide6.QtGui import QColor

SHADERS = Path(__file__).parent / "shaders"
COPY = """
#version 330
uniform sampler2D frame;
in vec2 at;
out vec4 colour;
void main() { colour = texture(frame, at); }
"""
WHOLE = """
#version 330
out vec2 at;
void main() {
    at = vec2(gl_VertexID & 1, gl_VertexID >> 1);
    gl_Position = vec4(at * 2.0 - 1.0, 0.0, 1.0);
}
"""


def program(ctx: moderngl.Context, vertex: str, fragment: str, **numbers: int) -> moderngl.Program:
    """Build a program from its shader files; ``numbers`` are what their constants are called and worth.

    Beside the vertices there may be a file that makes corners of them.
    """
    geometry = SHADERS / f"{vertex}.geom"
    return ctx.program(
        vertex_shader=_with(numbers, (SHADERS / f"{vertex}.vert").read_text()),
        geometry_shader=_with(numbers, geometry.read_text()) if geometry.exists() else None,
        fragment_shader=_with(numbers, (SHADERS / f"{fragment}.frag").read_text()),
    )


def _with(numbers: Mapping[str, int], source: str) -> str:
    version, _, rest = source.partition("\n")
    return "\n".join((version, *(f"const int {name} = {value};" for name, value in numbers.items()), rest))


def give(made: moderngl.Program, **values: Any) -> None:
    """Set uniforms; colours and matrices are turned into what the program wants."""
    for name, value in values.items():
        member: Any = made.get(name, None)
        if member is None:
            continue
        if isinstance(value, str):
            value = lit(value)  # noqa: PLW2901 - the same value in the program's own terms
        if isinstance(value, np.ndarray) and value.ndim == 2:
            member.write(np.ascontiguousarray(value.T, np.float32).tobytes())
        else:
            member.value = value if np.isscalar(value) else tuple(value)


def lit(rgb: str) -> tuple[float, float, float]:
    """Return a colour as three numbers from 0 to 1."""
    colour = QColor(rgb)
    return colour.redF(), colour.greenF(), colour.blueF()


@dataclass(eq=False)
class Frame:
    """A picture off the screen with its depth."""

    colour: moderngl.Texture
    depth: moderngl.Renderbuffer
    buffer: moderngl.Framebuffer

    @classmethod
    def make(cls, ctx: moderngl.Context, size: tuple[int, int]) -> Frame:
        """Make one of a size in points."""
        colour, depth = ctx.texture(size, 4), ctx.depth_renderbuffer(size)
        colour.filter = moderngl.LINEAR, moderngl.LINEAR
        colour.repeat_x = colour.repeat_y = False
        return cls(colour, depth, ctx.framebuffer([colour], depth))

    def release(self) -> None:
        """Free its memory."""
        for piece in (self.buffer, self.colour, self.depth):
            piece.release()


class Copier:
    """Copies a frame into another; from one twice as large it comes out smoothed."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._program = ctx.program(vertex_shader=WHOLE, fragment_shader=COPY)
        self._array = ctx.vertex_array(self._program, [])

    def copy(self, frame: Frame, onto: Frame) -> None:
        """Fill a frame with another."""
        onto.buffer.use()
        self._ctx.disable(moderngl.DEPTH_TEST)
        frame.colour.use(0)
        self._array.render(moderngl.TRIANGLE_STRIP, vertices=4)

    def release(self) -> None:
        """Free its memory."""
        self._array.release()
        self._program.release()
