"""Brings a scene onto the screen: at once while the view moves, smoothed and whole when it rests."""

from __future__ import annotations

import time
from dataclasses import dataclass

import moderngl

from even_step.app.canvas.bed_drawer import BedDrawer
from even_step.app.canvas.camera import Camera
from even_step.app.canvas.line_drawer import LineDrawer
from even_step.app.canvas.part_drawer import PartDrawer
from even_step.app.canvas.programs import Copier, Frame, lit
from even_step.app.canvas.scene import LinesShape, Scene
from even_step.app.theme.colours import PAPER

AIM = 0.028  # s a frame may take while the view moves
LEAST_BUDGET, MOST_BUDGET = 12_000, 20_000_000  # facets or lines
FINER = 2  # the resting picture is drawn so many times larger


@dataclass(frozen=True, eq=False)
class _Whole:
    """Which picture of layers is drawn."""

    camera: Camera
    lines: LinesShape

    def same(self, other: _Whole) -> bool:
        """Whether another would look the same."""
        a, b = self.lines, other.lines
        return self.camera == other.camera and (a.lines, a.first, a.last, a.along, a.hidden) == (
            b.lines,
            b.first,
            b.last,
            b.along,
            b.hidden,
        )


class Renderer:
    """Owns the drawers and the frames. How much is drawn while the view moves follows from what frames took."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._bed, self._parts, self._lines = BedDrawer(ctx), PartDrawer(ctx), LineDrawer(ctx)
        self._copier = Copier(ctx)
        self._frames: dict[int, Frame] = {}
        self._budget = LEAST_BUDGET * 2
        self._sketch: _Whole | None = None
        self._sketched_on: Frame | None = None
        self._fine: _Whole | None = None
        self._next = 0
        self._fine_ready = False
        ctx.enable(moderngl.DEPTH_TEST)

    def paint(self, scene: Scene, camera: Camera, onto: moderngl.Framebuffer, *, moving: bool) -> bool:
        """Paint a scene; returns whether the picture is whole, else the next call goes on with it."""
        if scene.lines is None:
            self._paint_parts(scene, camera, onto, 1 if moving else FINER)
            return not moving
        wanted = _Whole(camera, scene.lines)
        if self._frame(camera, 1) is not self._sketched_on or self._sketch is None or not self._sketch.same(wanted):
            self._paint_sketch(scene, wanted)
        elif not moving and self._go_on(scene, wanted):
            self._copier.copy(self._frame(camera, FINER), onto)
            return True
        self._copier.copy(self._frame(camera, 1), onto)
        return False

    def _frame(self, camera: Camera, scale: int) -> Frame:
        size = max(1, camera.size[0] * scale), max(1, camera.size[1] * scale)
        frame = self._frames.get(scale)
        if frame is None or frame.colour.size != size:
            if frame:
                frame.release()
            self._frames[scale] = frame = Frame.make(self._ctx, size)
            self._fine = None
        return frame

    def _clear(self, frame: Frame) -> None:
        frame.buffer.use()
        self._ctx.enable(moderngl.DEPTH_TEST)
        frame.buffer.clear(*lit(PAPER.paper), 1.0)

    def _paint_parts(self, scene: Scene, camera: Camera, onto: moderngl.Framebuffer, scale: int) -> None:
        frame = self._frame(camera, scale)
        begun = time.perf_counter()
        self._clear(frame)
        self._bed.draw(scene.bed, camera)
        drawn = self._parts.draw(scene, camera, scale, self._budget * 4 if scale == 1 else MOST_BUDGET)
        self._copier.copy(frame, onto)
        if scale == 1:
            self._learn(drawn // 4, begun)

    def _paint_sketch(self, scene: Scene, wanted: _Whole) -> None:
        camera, lines = wanted.camera, wanted.lines
        frame = self._sketched_on = self._frame(camera, 1)
        self._sketch = wanted
        begun = time.perf_counter()
        self._clear(frame)
        self._bed.draw(scene.bed, camera)
        self._lines.begin(lines, camera)
        drawn = self._lines.draw_sketch(lines, self._budget)
        self._learn(drawn, begun)

    def _learn(self, drawn: int, begun: float) -> None:
        """Fit the budget to what a frame took."""
        self._ctx.finish()
        took = time.perf_counter() - begun
        if drawn >= self._budget // 2:
            wanted = self._budget * AIM / max(took, 1e-4)
            self._budget = int(min(max(0.5 * (self._budget + wanted), LEAST_BUDGET), MOST_BUDGET))

    def _go_on(self, scene: Scene, wanted: _Whole) -> bool:
        """Draw the next piece of the whole picture; returns whether it is complete."""
        camera, lines = wanted.camera, wanted.lines
        frame = self._frame(camera, FINER)
        if self._fine is None or not self._fine.same(wanted):
            self._fine, self._fine_ready = wanted, False
            self._next = int(lines.lines.layer[lines.first])
            self._clear(frame)
            self._bed.draw(scene.bed, camera)
        if not self._fine_ready:
            frame.buffer.use()
            self._ctx.enable(moderngl.DEPTH_TEST)
            self._lines.begin(lines, camera)
            last = min(self._next + self._budget, lines.end_of_last)
            self._lines.draw_range(self._next, last)
            self._ctx.finish()
            self._next = last
            self._fine_ready = last >= lines.end_of_last
        return self._fine_ready

    def release(self) -> None:
        """Free all memory."""
        owners: list[BedDrawer | PartDrawer | LineDrawer | Copier | Frame] = [self._bed, self._parts, self._lines]
        for owner in (*owners, self._copier, *self._frames.values()):
            owner.release()
        self._frames.clear()
