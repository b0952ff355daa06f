"""Brings a scene onto the screen: at once while the view moves, smoothed and whole when it rests."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

import moderngl

from even_step.app.canvas.bed_drawer import BedDrawer
from even_step.app.canvas.camera import Camera
from even_step.app.canvas.ghost_drawer import GhostDrawer
from even_step.app.canvas.line_drawer import LineDrawer
from even_step.app.canvas.part_drawer import PartDrawer
from even_step.app.canvas.programs import Copier, Frame, lit
from even_step.app.canvas.scene import Scene
from even_step.app.theme.colours import PAPER

AIM = 0.024  # s a frame may take while the view moves
SLOW = 0.034  # s after which a frame has fewer points, where it cannot hold less
LEAST_BUDGET, MOST_BUDGET = 4_500, 20_000_000  # lines
FACETS = 4  # that take as long as a line
FINER = 2  # the resting picture is drawn so many times larger, on a screen of ordinary points
COARSER = 1.0, 0.7, 0.5  # points of the moving picture to one of the screen, the coarser the slower the machine


class Painted(NamedTuple):
    """Whether there is something new to show, and what share of the whole picture is drawn; the next call goes on."""

    fresh: bool
    share: float


@dataclass(frozen=True, eq=False)
class _Wanted:
    """Which picture is wanted."""

    scene: Scene
    camera: Camera

    def same(self, other: _Wanted) -> bool:
        """Whether another would look the same; scenes of parts are known by being the same one."""
        if self.camera != other.camera or self.scene.bed != other.scene.bed:
            return False
        a, b = self.scene.lines, other.scene.lines
        if a is None or b is None:
            return self.scene is other.scene
        same = (a.lines, a.first, a.last, a.along, a.hidden) == (b.lines, b.first, b.last, b.along, b.hidden)
        same = same and a.marks is b.marks and a.plane == b.plane
        same = same and _ghosts(self.scene) == _ghosts(other.scene)
        return same and (a.colour_by, a.hidden_heights) == (b.colour_by, b.hidden_heights)


class Renderer:
    """Owns the drawers and the frames. How much is drawn while the view moves follows from what frames took."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._bed, self._parts, self._lines = BedDrawer(ctx), PartDrawer(ctx), LineDrawer(ctx)
        self._ghosts = GhostDrawer(ctx)
        self._copier = Copier(ctx)
        self._frames: dict[str, Frame] = {}  # of the moving picture, the whole one, and as large as the screen
        self.finer = FINER
        self._budget = LEAST_BUDGET
        self._coarser = 0
        self._shown: Frame | None = None
        self._sketched: _Wanted | None = None
        self._whole: _Wanted | None = None
        self._steps: Iterator[float] = iter(())
        ctx.enable(moderngl.DEPTH_TEST)

    def paint(self, scene: Scene, camera: Camera, *, moving: bool) -> Painted:
        """Paint a scene as far as the time of a frame goes."""
        wanted = _Wanted(scene, camera)
        if self._whole is not None and not self._whole.same(wanted):
            # What is drawn in between may free what the steps of the old picture hold.
            self._whole, self._steps = None, iter(())
        if scene.lines and self._lines.take(scene.lines.lines):
            return Painted(fresh=False, share=0.0)  # what a trial's lines take to come in is a frame of its own
        if moving or self._is_large(scene):
            if self._sketched is None or not self._sketched.same(wanted):
                self._sketch(wanted)
                return Painted(fresh=True, share=0.0)
            self._shown = self._frames["moving"]
        share = 0.0 if moving else self._go_on(wanted)
        if share < 1.0:
            return Painted(fresh=False, share=share)
        self._shown = self._frame(camera, "whole")
        return Painted(fresh=True, share=1.0)

    def read(self, camera: Camera, into: bytearray) -> None:
        """Read what was painted: rows from the bottom, four bytes a point, red first."""
        shown = self._shown or self._frame(camera, "moving")
        if shown.colour.size != camera.size:
            self._copier.copy(shown, self._frame(camera, "screen"))
            shown = self._frame(camera, "screen")
        shown.buffer.read_into(into, components=4, alignment=1)

    def _is_large(self, scene: Scene) -> bool:
        """Whether drawing everything takes longer than a frame may."""
        return scene.lines is not None or sum(part.model.triangles for part in scene.parts) > FACETS * self._budget

    def _scale(self, kind: str) -> float:
        """Return how many points a frame has to one of the screen."""
        return {"moving": COARSER[self._coarser], "whole": self.finer}.get(kind, 1)

    def _frame(self, camera: Camera, kind: str) -> Frame:
        width, height = (max(1, round(side * self._scale(kind))) for side in camera.size)
        frame = self._frames.get(kind)
        if frame is None or frame.colour.size != (width, height):
            if frame:
                frame.release()
            self._frames[kind] = frame = Frame.make(self._ctx, (width, height))
            if kind == "whole":
                self._whole = None
            if kind == "moving":
                self._sketched = None
        return frame

    def _begin(self, frame: Frame, wanted: _Wanted) -> None:
        """Lay the bed on a clean frame."""
        self._use(frame)
        frame.buffer.clear(*lit(PAPER.paper), 1.0)
        self._bed.draw(wanted.scene.bed, wanted.camera)

    def _use(self, frame: Frame) -> None:
        frame.buffer.use()
        self._ctx.enable(moderngl.DEPTH_TEST)

    def _sketch(self, wanted: _Wanted) -> None:
        """Draw what can be drawn in the time of a frame."""
        scene, camera = wanted.scene, wanted.camera
        begun = time.perf_counter()
        self._shown = self._frame(camera, "moving")
        self._begin(self._shown, wanted)
        scale = self._scale("moving")
        if scene.lines:
            drawn = self._lines.draw_sketch(scene.lines, camera, scale, self._budget)
            self._ghosts.draw(scene, camera)
        else:
            drawn = self._parts.draw_sketch(scene, camera, scale, FACETS * self._budget) // FACETS
        self._sketched = wanted
        self._learn(drawn, begun)

    def _go_on(self, wanted: _Wanted) -> float:
        """Draw the next piece of the whole picture; returns what share of it is drawn."""
        if self._whole is None:
            self._whole, self._steps = wanted, self._pieces(wanted)
        return next(self._steps, 1.0)

    def _pieces(self, wanted: _Wanted) -> Iterator[float]:
        """Draw the whole picture, giving way after each piece of a frame's time with the share that is drawn."""
        scene, camera = wanted.scene, wanted.camera
        frame = self._frame(camera, "whole")
        self._begin(frame, wanted)
        if scene.lines:
            for share in self._lines.pieces(scene.lines, camera, self.finer, self._budget):
                self._ctx.finish()
                if share < 1.0:
                    yield share
                    self._use(frame)
            self._ghosts.draw(scene, camera)
            return
        pieces = self._parts.draw_whole(scene, camera, self.finer, FACETS * self._budget // self.finer)
        for number, _ in enumerate(pieces, 1):
            self._ctx.finish()
            yield number / (number + 1)  # how many there will be is not known
            self._use(frame)

    def _learn(self, drawn: int, begun: float) -> None:
        """Fit the budget to what a frame took, and its points where no less can be drawn."""
        self._ctx.finish()
        took = time.perf_counter() - begun
        if drawn >= self._budget // 2:
            wanted = self._budget * AIM / max(took, 1e-4)
            self._budget = int(min(max(0.5 * (self._budget + wanted), LEAST_BUDGET), MOST_BUDGET))
        if took > SLOW and self._budget == LEAST_BUDGET:
            self._coarser = min(self._coarser + 1, len(COARSER) - 1)
        elif self._coarser and took * (COARSER[self._coarser - 1] / COARSER[self._coarser]) ** 2 < AIM:
            self._coarser -= 1

    def release(self) -> None:
        """Free all memory."""
        owners: list[BedDrawer | PartDrawer | LineDrawer | GhostDrawer | Copier | Frame] = [
            self._bed,
            self._parts,
            self._lines,
            self._ghosts,
        ]
        for owner in (*owners, self._copier, *self._frames.values()):
            owner.release()
        self._frames.clear()


def _ghosts(scene: Scene) -> list[tuple[object, bytes]]:
    """Return what tells the ghosts of a scene from those of another."""
    return [(part.model, part.matrix.tobytes()) for part in scene.ghosts]
