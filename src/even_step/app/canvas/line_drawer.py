"""Draws laid lines true to width and height: at once in less detail, and whole piece by piece."""

from __future__ import annotations

from dataclasses import dataclass

import moderngl
import numpy as np
from numpy.typing import NDArray

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.palette import STEPS, shades_of, shades_of_marks
from even_step.app.canvas.part_drawer import LIGHT
from even_step.app.canvas.programs import give, program
from even_step.app.canvas.scene import LinesShape
from even_step.app.trials import TrialLines
from even_step.core.toolpath.roles import HIDDEN, OUTER_WALL, TABLE, TRAVEL

ROW = 24  # bytes of a point
MOST_TOGETHER = 4  # layers whose walls are drawn as one: more would be seen
FIELDS = (("start", 0, 3), ("width", 12, 1), ("high", 16, 1), ("role", 20, 1), ("end", ROW, 3))
ROLE_AT = 20  # bytes of a point before its role
A_SHADE = 4  # bytes
SPANS = 32  # of heights that may be hidden: as many rows as the heights of any nozzle make


@dataclass(eq=False)
class _Points:
    """Points in the memory of the graphics card, the path of each, and where each layer begins.

    ``shades`` are where in the palette each point is; none where its role says it.
    """

    buffer: moderngl.Buffer
    path: NDArray[np.int32]
    layer: NDArray[np.int64]
    shades: moderngl.Buffer | None = None


class LineDrawer:
    """Owns the lines of the trial that is shown."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._program = program(ctx, "line", "line", TRAVEL=TRAVEL, SPANS=SPANS)
        self._array = ctx.vertex_array(self._program, [])
        self._lines: TrialLines | None = None
        self._whole: _Points | None = None
        self._walls: _Points | None = None
        self._faces: _Points | None = None
        self._inside: _Points | None = None
        self._palette = ctx.texture((STEPS, 1), 3, dtype="f4")
        self._palette.filter = moderngl.NEAREST, moderngl.NEAREST
        self._painted: tuple[str, NDArray[np.float32] | None] = "", None
        give(self._program, hidden=0, travelling=TABLE[TRAVEL].colour)

    def _upload(self, points: NDArray[np.float32], layer: NDArray[np.int64], path: NDArray[np.int32]) -> _Points:
        # One row more, for a segment reads the point after its own.
        buffer = self._ctx.buffer(reserve=(len(points) + 1) * ROW)
        if len(points):
            buffer.write(np.ascontiguousarray(points).data)
        return _Points(buffer, path, layer)

    def take(self, lines: TrialLines) -> bool:
        """Hold the lines of a trial, instead of those of another; returns whether they were not held before."""
        if self._lines is lines:
            return False
        self._free()
        self._lines = lines
        self._whole = self._upload(lines.points, lines.layer, lines.path)
        self._walls = self._upload(lines.wall_points, lines.wall_layer, lines.wall_path)
        self._faces = self._upload(lines.face_points, lines.face_layer, lines.face_path)
        self._inside = self._upload(lines.inside_points, lines.inside_layer, lines.inside_path)
        self._painted = "", None
        return True

    def paint(self, shape: LinesShape) -> None:
        """Colour the lines that are held by a channel; whatever it is, it is one number a point and a palette."""
        wanted = shape.colour_by, shape.marks
        if wanted[0] == self._painted[0] and wanted[1] is self._painted[1]:
            return
        self._painted = wanted
        marks = shape.marks
        shades = shades_of_marks(marks) if marks is not None else shades_of(shape.lines, shape.colour_by)
        self._palette.write(shades.colours.tobytes())
        for points in self._sets():
            if points.shades:
                points.shades.release()
            points.shades = None
            if shades.place is not None and len(points.path):
                points.shades = self._ctx.buffer(np.append(shades.place[points.path], np.float32(0.0)).tobytes())
        give(self._program, span=(0.5 / STEPS, 1.0 / STEPS) if shades.place is None else (0.0, 1.0))

    def _sets(self) -> list[_Points]:
        return [one for one in (self._whole, self._walls, self._faces, self._inside) if one]

    def begin(self, shape: LinesShape, camera: Camera) -> None:
        """Prepare for drawing a shape, whose lines are held."""
        self.paint(shape)
        self._palette.use(0)
        right, _, toward = camera.axes
        # More from the side than parts are lit: lines are darker than bone, and their shape must still be seen.
        way = 2.0 * LIGHT[0] * right + 0.3 * toward + np.array([0.0, 0.0, LIGHT[2]])
        give(
            self._program,
            seen=camera.matrix,
            hidden=shape.hidden,
            hidden_heights=_spans(shape.hidden_heights),
            spans=min(len(shape.hidden_heights), SPANS),
            thicker=1.0,
            is_flat=camera.flat,
            eye=camera.eye,
            light=way / np.linalg.norm(way),
        )

    def _render(self, points: _Points, first: int, count: int) -> None:
        if count <= 0:
            return
        for name, offset, numbers in FIELDS:
            self._array.bind(
                self._program[name].location,  # type: ignore[union-attr]
                "f",
                points.buffer,
                f"{numbers}f4",
                offset=offset + first * ROW,
                stride=ROW,
                divisor=1,
            )
        shades, at, stride = (points.shades, 0, A_SHADE) if points.shades else (points.buffer, ROLE_AT, ROW)
        place = self._program["shade"].location  # type: ignore[union-attr]
        self._array.bind(place, "f", shades, "1f4", offset=at + first * stride, stride=stride, divisor=1)
        self._array.render(moderngl.TRIANGLE_STRIP, vertices=6, instances=count)

    def draw_range(self, first: int, last: int) -> None:
        """Draw points of the whole path from one to another."""
        if self._whole:
            self._render(self._whole, first, last - first)

    def draw_sketch(self, shape: LinesShape, budget: int) -> int:
        """Draw a shape in about so many segments, simplified but without gaps; returns how many.

        Of layers below the last, lines are coarser. Where there are still too many walls, those of each few layers are
        drawn as one of their height; tops and undersides stay where they are.
        """
        if self._walls is None or self._faces is None or self._inside is None:
            return 0
        a, end = int(shape.lines.layer[shape.last]), shape.end_of_last
        drawn = end - a + self._draw_layers(self._faces, shape, 1)
        stacks = [self._walls]
        if shape.hidden >> OUTER_WALL & 1 and any(not shape.hidden >> role & 1 for role in HIDDEN):
            stacks.append(self._inside)
        below = sum(int(points.layer[shape.last] - points.layer[shape.first]) for points in stacks)
        each = min(max(1, -(-below // max(1, budget - drawn))), MOST_TOGETHER)
        give(self._program, thicker=float(each))
        drawn += sum(self._draw_layers(points, shape, each) for points in stacks)
        give(self._program, thicker=1.0)
        self.draw_range(a, end)
        return drawn

    def _draw_layers(self, points: _Points, shape: LinesShape, each: int) -> int:
        """Draw each few of the layers below the last, from it down; returns how many segments."""
        spans = (
            [(shape.first, shape.last)]
            if each == 1
            else [(k, k + 1) for k in range(shape.last - 1, shape.first - 1, -each)]
        )
        drawn = 0
        for low, high in spans:
            first, last = int(points.layer[low]), int(points.layer[high])
            self._render(points, first, last - first)
            drawn += last - first
        return drawn

    def _free(self) -> None:
        for points in self._sets():
            points.buffer.release()
            if points.shades:
                points.shades.release()
        self._whole = self._walls = self._faces = self._inside = None

    def release(self) -> None:
        """Free all memory."""
        self._free()
        self._array.release()
        self._palette.release()
        self._program.release()


def _spans(heights: frozenset[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return spans of heights as many as the program takes; the rest hold none."""
    return [*sorted(heights)[:SPANS], *((1.0, 0.0) for _ in range(SPANS - len(heights)))]
