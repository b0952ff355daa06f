"""Draws laid lines true to width and height: at once in less detail, and whole piece by piece."""

from __future__ import annotations

from collections.abc import Iterator
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
from even_step.app.work.requests import FINE_STRAY
from even_step.core.toolpath.roles import HIDDEN, OUTER_WALL, TABLE, TRAVEL

ROW = 24  # bytes of a point
A_HALF = 0.5  # of a point of the frame: a line that strays by no more lies on the same points
FIELDS = (("start", 0, 3), ("width", 12, 1), ("high", 16, 1), ("role", 20, 1), ("end", ROW, 3))
ROLE_AT = 20  # bytes of a point before its role
A_SHADE = 4  # bytes
SETS = ("whole", "fine", "inside", "upright", "tall", "bulk", "under", "face")
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
        self._held: dict[str, _Points] = {}  # by the name of each set
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
        self._held = {name: self._upload(*lines.set_of(name)) for name in SETS}
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
        for points in self._held.values():
            if points.shades:
                points.shades.release()
            points.shades = None
            if shades.place is not None and len(points.path):
                points.shades = self._ctx.buffer(np.append(shades.place[points.path], np.float32(0.0)).tobytes())
        give(self._program, span=(0.5 / STEPS, 1.0 / STEPS) if shades.place is None else (0.0, 1.0))

    def begin(self, shape: LinesShape, camera: Camera, least: float = 0.0) -> None:
        """Prepare for drawing a shape, whose lines are held, none narrower than ``least`` mm."""
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
            is_flat=camera.flat,
            plane=shape.cut_plane,
            least=least,
            slanted=0 if _is_open(shape) else sum(1 << role for role in HIDDEN),
            eye=camera.eye,
            light=way / np.linalg.norm(way),
        )

    def _render(self, points: _Points, first: int, count: int, corners: int) -> None:
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
            )
        shades, at, stride = (points.shades, 0, A_SHADE) if points.shades else (points.buffer, ROLE_AT, ROW)
        place = self._program["shade"].location  # type: ignore[union-attr]
        self._array.bind(place, "f", shades, "1f4", offset=at + first * stride, stride=stride)
        give(self._program, corners=corners)
        self._array.render(moderngl.POINTS, vertices=count)

    def pieces(self, shape: LinesShape, camera: Camera, finer: int, each: int) -> Iterator[float]:
        """Draw all of a shape, about so many segments at a time, and give the share that is drawn after each.

        ``finer`` is how many points of the frame one of the screen has. Below the last layer lines may be those that
        are not to be told from the true ones at that size.
        """
        corners = 2 if camera.flat else 3
        whole, fine = self._held["whole"], self._held["fine"]
        if _is_close(camera, finer) or not shape.hidden >> TRAVEL & 1:
            spans = [(whole, int(whole.layer[shape.first]), shape.end_of_last)]
        else:
            first, last = (int(fine.layer[k]) for k in (shape.first, shape.last))
            spans = [(fine, first, last), (whole, int(whole.layer[shape.last]), shape.end_of_last)]
        total, drawn = sum(last - first for _, first, last in spans), 0
        pieces = [(points, a, min(each, last - a)) for points, first, last in spans for a in range(first, last, each)]
        if camera.away[2] > 0.0:
            pieces.reverse()  # what is hidden by what is drawn need not be shaded
        for points, a, count in pieces:
            self.begin(shape, camera)
            self._render(points, a, count, corners)
            drawn += count
            yield drawn / total

    def draw_sketch(self, shape: LinesShape, camera: Camera, scale: float, budget: int) -> int:
        """Draw a shape in about so many segments, simplified but without gaps; returns how many.

        Of layers below the last, lines are coarser. Where there are too many of those that lie over each other, one
        stands for those of several layers; tops and undersides stay where they are. A line is one slanted face, from
        its far edge on top to its near edge below, which covers what its two faces do. ``scale`` is how many points of
        the frame one of the screen has: a line narrower than one would come and go.
        """
        self.begin(shape, camera, camera.mm_a_point / scale)
        drawn = self._draw_last(shape, camera) + self._draw_layers("face", shape.first, shape.last)
        drawn += self._draw_stacks("upright", "tall", shape, budget - drawn)
        opened = _is_open(shape)
        if opened and any(not shape.hidden >> role & 1 for role in HIDDEN):
            drawn += self._draw_stacks("inside", "bulk", shape, budget - drawn)
        from_above = camera.away[2] > 0.0 and not opened
        if not from_above or drawn < budget:
            drawn += self._draw_layers("under", shape.first, shape.last)
        return drawn

    def _draw_stacks(self, one_by_one: str, as_one: str, shape: LinesShape, budget: int) -> int:
        """Draw lines below the last layer, as one those of several layers where they are too many; returns how many."""
        first, last = shape.first, shape.last
        layer = self._held[one_by_one].layer
        # What stands for several layers has the height of them all: by it none of one height could be hidden.
        if layer[last] - layer[first] <= budget or shape.hidden_heights:
            return self._draw_layers(one_by_one, first, last)
        since = max(int(shape.lines.since(as_one)[last]), first)
        return self._draw_layers(as_one, first, last) + self._draw_layers(one_by_one, since, last)

    def _draw_last(self, shape: LinesShape, camera: Camera) -> int:
        """Draw the last layer as far as it is shown."""
        roughly = shape.along == 1.0 and not _is_close(camera, 1) and shape.hidden >> TRAVEL & 1
        points = self._held["fine" if roughly else "whole"]
        first, end = (int(points.layer[k]) for k in (shape.last, shape.last + 1))
        count = (end if roughly else shape.end_of_last) - first
        self._render(points, first, count, 2)
        return count

    def _draw_layers(self, name: str, first: int, last: int) -> int:
        """Draw what a set has in the layers from one up to another; returns how many segments."""
        points = self._held[name]
        a, b = (int(points.layer[k]) for k in (first, last))
        self._render(points, a, b - a, 2)
        return b - a

    def _free(self) -> None:
        for points in self._held.values():
            points.buffer.release()
            if points.shades:
                points.shades.release()
        self._held = {}

    def release(self) -> None:
        """Free all memory."""
        self._free()
        self._array.release()
        self._palette.release()
        self._program.release()


def _is_close(camera: Camera, finer: int) -> bool:
    """Tell whether fine lines are seen not to be the true ones; the frame has ``finer`` points to one of the screen."""
    return A_HALF * camera.mm_a_point / finer < FINE_STRAY


def _is_open(shape: LinesShape) -> bool:
    """Tell whether the inside of parts is seen from beside."""
    return shape.plane is not None or bool(shape.hidden >> OUTER_WALL & 1)


def _spans(heights: frozenset[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return spans of heights as many as the program takes; the rest hold none."""
    return [*sorted(heights)[:SPANS], *((1.0, 0.0) for _ in range(SPANS - len(heights)))]
