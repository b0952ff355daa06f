"""Draws parts: facets in bone, overhangs hatched, edges in ink."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from even_step.app.canvas.camera import Camera
from even_step.app.canvas.filled_zones import FilledZones
from even_step.app.canvas.programs import give, lit, program
from even_step.app.canvas.relief_drawer import ReliefDrawer
from even_step.app.canvas.scene import MOST_BANDS, MOST_TINTS, PartShape, Piece, Scene, Skin
from even_step.app.cut_open import CutFace
from even_step.app.shelf import ShelfModel
from even_step.app.theme.colours import PAPER, mixed
from even_step.core.mesh.mesh import Mesh

CLAY = "#CDA08A"
NEARER = 0.0002  # of the depth, by which what is drawn over a face lies before it
NOWHERE = 1e9  # mm
LIGHT = (-0.45, -0.35, 0.82)
PICKED_EDGE = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0), (-1.0, 0.0), (0.0, -1.0))  # points: a thicker line


@dataclass(eq=False)
class _Buffers:
    """A mesh in the memory of the graphics card."""

    corners: moderngl.Buffer
    index: moderngl.Buffer
    array: moderngl.VertexArray
    facets: int

    def release(self) -> None:
        for piece in (self.array, self.index, self.corners):
            piece.release()


class PartDrawer:
    """Owns the buffers of every model that is drawn; those of models no longer drawn are freed."""

    def __init__(self, ctx: moderngl.Context) -> None:
        self._ctx = ctx
        self._facets = program(ctx, "part", "part", MOST_ZONES=MOST_TINTS, MOST_BANDS=MOST_BANDS)
        self._lines = program(ctx, "edge", "edge")
        self._whole: dict[ShelfModel, _Buffers] = {}
        self._few: dict[ShelfModel, _Buffers] = {}
        self._columns: tuple[NDArray[np.float32], _Buffers] | None = None
        self._cut: tuple[CutFace, _Buffers] | None = None
        self._is_cut = False
        self._skins: tuple[tuple[Skin, ...], list[_Buffers]] = (), []
        self._relief = ReliefDrawer(ctx)
        self._filled = FilledZones(ctx)
        self._edges: dict[ShelfModel, tuple[moderngl.Buffer, moderngl.VertexArray]] = {}

    def _upload(self, mesh: Mesh) -> _Buffers:
        corners = self._ctx.buffer(np.ascontiguousarray(mesh.vertices, np.float32))
        index = self._ctx.buffer(np.ascontiguousarray(mesh.faces, np.int32))
        array = self._ctx.vertex_array(self._facets, [(corners, "3f", "corner")], index)
        return _Buffers(corners, index, array, len(mesh.faces))

    def _mesh(self, model: ShelfModel, *, few: bool) -> _Buffers:
        kept = self._few if few else self._whole
        if model not in kept:
            kept[model] = self._upload(model.few if few else model.mesh)
        return kept[model]

    def _edge_array(self, model: ShelfModel) -> moderngl.VertexArray:
        if model not in self._edges:
            rows = model.edges if len(model.edges) else np.full((2, 9), 9e9, np.float32)
            buffer = self._ctx.buffer(np.ascontiguousarray(rows, np.float32))
            array = self._ctx.vertex_array(self._lines, [(buffer, "3f 3f 3f", "corner", "one", "other")])
            self._edges[model] = buffer, array
        return self._edges[model][1]

    def draw_sketch(self, scene: Scene, camera: Camera, scale: float, budget: int) -> int:
        """Draw all parts in about so many facets: the coarser meshes, without edges, where there are more.

        ``scale`` is how many points of the frame one of the screen has.

        Returns
        -------
        int
            How many facets were drawn.
        """
        self._begin(scene, camera, scale)
        few = sum(part.model.triangles for part in scene.parts) > budget
        drawn = 0
        for part, piece in _pieces(scene):
            buffers = self._mesh(piece.model, few=few)
            self._draw_facets(part, piece, buffers, range(buffers.facets), backs=False)
            drawn += buffers.facets
        self._ctx.disable(moderngl.CULL_FACE)
        self._draw_skins(scene)
        self._draw_relief(scene, camera)
        self._draw_cut(scene)
        if len(scene.columns):
            self._draw_columns(scene)
        if not few:
            self._draw_edges(scene, camera, scale)
        return drawn

    def draw_whole(self, scene: Scene, camera: Camera, scale: int, budget: int) -> Iterator[None]:
        """Draw all parts whole, ``scale`` points of the frame to one of the screen; gives way after each budget."""
        self._begin(scene, camera, scale)
        yield from self._in_turn(scene, budget, backs=False)
        self._draw_skins(scene)
        self._draw_relief(scene, camera)
        self._draw_cut(scene)
        if len(scene.columns):
            self._draw_columns(scene)
        self._draw_edges(scene, camera, scale)
        yield
        yield from self._draw_hidden_hatch(scene, budget)

    def _in_turn(self, scene: Scene, budget: int, *, backs: bool) -> Iterator[None]:
        """Draw all facets, also those seen from within on wish, giving way after each budget and at the end."""
        drawn = 0
        for part, piece in _pieces(scene):
            fresh = piece.model not in self._whole
            buffers = self._mesh(piece.model, few=False)
            if fresh and buffers.facets > budget:
                yield
            for first in range(0, buffers.facets, budget):
                facets = range(first, min(first + budget, buffers.facets))
                self._draw_facets(part, piece, buffers, facets, backs=backs)
                drawn += len(facets)
                if drawn >= budget:
                    drawn = 0
                    self._ctx.disable(moderngl.CULL_FACE)
                    yield
        self._ctx.disable(moderngl.CULL_FACE)
        yield

    def _draw_hidden_hatch(self, scene: Scene, budget: int) -> Iterator[None]:
        """Let what hangs and is hidden by its own part shine through as dashes, where the view is from above."""
        pieces = self._in_turn(scene, budget, backs=True)
        while True:
            # Other pictures may be drawn while this one gives way.
            give(self._facets, ghost=True)
            self._ctx.depth_func = ">"
            more = next(pieces, pieces) is None
            self._ctx.depth_func = "<"
            give(self._facets, ghost=False)
            if not more:
                return
            yield

    def _begin(self, scene: Scene, camera: Camera, scale: float) -> None:
        self._free_unused(scene)
        self._is_cut = bool(np.isfinite(scene.cut_at))
        self._filled.take(scene.parts)
        give(self._facets, filled=self._filled.use(), slots=float(self._filled.slots))
        give(
            self._facets,
            seen=camera.matrix,
            eye=camera.eye,
            light=_light(camera),
            ink=PAPER.ink,
            clay=PAPER.clay,
            bone=PAPER.bone,
            first_layer=scene.first_layer,
            hatched=True,
            points=scale,
            ghost=False,
            cut=_above_all(scene),
            pointed_z=scene.pointed_z,
            zone=PAPER.zone,
            nearer=0.0,
            banded=False,
        )

    def _draw_facets(self, part: PartShape, piece: Piece, buffers: _Buffers, facets: range, *, backs: bool) -> None:
        give(self._facets, stands=part.matrix, limits=part.limits)
        give(self._facets, mark=_tint(part), marked=piece.wash, in_zone=piece.zoned, zones=len(part.tints))
        give(self._facets, banded=part.bands is not None, tall=float(part.size[2]), band=PAPER.accent)
        if part.bands is not None:
            self._facets["bands"].write(part.bands.tobytes())  # type: ignore[union-attr]
        if part.tints:
            room = MOST_TINTS - len(part.tints)
            matrices = [np.ascontiguousarray(one.matrix.T, np.float32) for one in part.tints]
            kinds = [one.kind + self._filled.slot(one) for one in part.tints]
            self._facets["kind"].value = kinds + [0] * room  # type: ignore[union-attr]
            self._facets["about"].write(np.array(matrices + [np.eye(4, dtype=np.float32)] * room).tobytes())  # type: ignore[union-attr]
        # Of a closed part no inside is ever seen, so half the facets need not be drawn.
        self._ctx.front_face = "cw" if np.linalg.det(part.matrix[:3, :3]) < 0 else "ccw"
        whole = piece.model.closed and not backs and not self._is_cut
        (self._ctx.enable if whole else self._ctx.disable)(moderngl.CULL_FACE)
        buffers.array.render(moderngl.TRIANGLES, vertices=3 * len(facets), first=3 * facets.start)

    def _draw_columns(self, scene: Scene) -> None:
        """Draw the supports to come in clay, a shade paler than laid ones."""
        give(self._facets, banded=False)
        if self._columns is None or self._columns[0] is not scene.columns:
            if self._columns:
                self._columns[1].release()
            self._columns = scene.columns, self._upload(_loose(scene.columns))
        buffers = self._columns[1]
        give(self._facets, stands=np.eye(4), marked=1.0, mark=lit(CLAY), hatched=False, in_zone=False, zones=0)
        self._ctx.front_face = "ccw"
        self._ctx.disable(moderngl.CULL_FACE)
        buffers.array.render(moderngl.TRIANGLES)
        give(self._facets, hatched=True)

    def _draw_skins(self, scene: Scene) -> None:
        """Tint the faces that zones lie along: drawn once more, a little nearer to the eye."""
        give(self._facets, banded=False)
        if self._skins[0] is not scene.skins:
            for buffers in self._skins[1]:
                buffers.release()
            self._skins = scene.skins, [self._upload(_loose(skin.corners)) for skin in scene.skins]
        for skin, buffers in zip(*self._skins, strict=True):
            piece = skin.part.pieces[-1]
            give(self._facets, stands=np.eye(4), limits=skin.part.limits, mark=_tint(skin.part), marked=piece.wash)
            give(self._facets, in_zone=True, zones=0, nearer=NEARER)
            self._ctx.front_face = "ccw"
            (self._ctx.disable if self._is_cut else self._ctx.enable)(moderngl.CULL_FACE)
            buffers.array.render(moderngl.TRIANGLES)
        give(self._facets, nearer=0.0)
        self._ctx.disable(moderngl.CULL_FACE)

    def _draw_relief(self, scene: Scene, camera: Camera) -> None:
        looked = {"seen": camera.matrix, "eye": camera.eye, "light": _light(camera), "cut": _above_all(scene)}
        self._relief.draw(scene.rough, looked)

    def _draw_cut(self, scene: Scene) -> None:
        """Draw the faces of the cut: dark bone, and what lies in zones in one of two tints."""
        give(self._facets, banded=False)
        face = scene.cut
        if face is None or len(face.corners) == 0:
            return
        if self._cut is None or self._cut[0] is not face:
            if self._cut:
                self._cut[1].release()
            self._cut = face, self._upload(_loose(face.corners))
        buffers = self._cut[1]
        give(self._facets, stands=np.eye(4), marked=1.0, hatched=False, in_zone=False, zones=0, cut=NOWHERE)
        self._ctx.disable(moderngl.CULL_FACE)
        for first, count, tint in face.runs:
            give(self._facets, mark=_cut_tint(tint))
            buffers.array.render(moderngl.TRIANGLES, vertices=3 * count, first=3 * first)
        give(self._facets, hatched=True, cut=_above_all(scene))

    def _draw_edges(self, scene: Scene, camera: Camera, scale: float) -> None:
        give(self._lines, seen=camera.matrix, eye=camera.eye, cut=_above_all(scene))
        size = camera.size[0] * scale, camera.size[1] * scale
        for part, piece in _pieces(scene):
            tint = PAPER.ink if not piece.lit else PAPER.accent if part.picked else _tint(part)
            turn = np.linalg.inv(part.matrix[:3, :3]).T
            give(self._lines, stands=part.matrix, turn=turn, tint=(*lit(tint), 1.0))
            for x, y in PICKED_EDGE if piece.lit else PICKED_EDGE[:1]:
                give(self._lines, shift=(2 * x / size[0], 2 * y / size[1]))
                self._edge_array(piece.model).render(moderngl.LINES)

    def _free_unused(self, scene: Scene) -> None:
        if not scene.parts:
            return
        used = {piece.model for _, piece in _pieces(scene)}
        for kept in (self._whole, self._few):
            for model in kept.keys() - used:
                kept.pop(model).release()
        for model in self._edges.keys() - used:
            buffer, array = self._edges.pop(model)
            array.release()
            buffer.release()

    def release(self) -> None:
        """Free all memory."""
        for kept in (self._whole, self._few):
            for buffers in kept.values():
                buffers.release()
            kept.clear()
        for buffers in self._skins[1]:
            buffers.release()
        self._skins = (), []
        self._relief.release()
        self._filled.release()
        for kept_one in (self._columns, self._cut):
            if kept_one:
                kept_one[1].release()
        self._columns = self._cut = None
        for buffer, array in self._edges.values():
            array.release()
            buffer.release()
        self._edges.clear()
        self._facets.release()
        self._lines.release()


def _light(camera: Camera) -> tuple[float, float, float]:
    """Return the light's direction: over the viewer's left shoulder."""
    right, _, toward = camera.axes
    way = LIGHT[0] * right + 0.45 * toward + np.array([0.0, 0.0, LIGHT[2]])
    way /= np.linalg.norm(way)
    return float(way[0]), float(way[1]), float(way[2])


def _loose(corners: NDArray[np.floating[Any]]) -> Mesh:
    """Return facets (n, 3, 3) as a mesh in which none shares a corner."""
    points = corners.reshape(-1, 3).astype(np.float64)
    return Mesh(points, np.arange(len(points), dtype=np.int32).reshape(-1, 3))


def _above_all(scene: Scene) -> float:
    """Return over which height nothing is seen, as a number the graphics card has."""
    return min(scene.cut_at, NOWHERE)


def _cut_tint(tint: int) -> tuple[float, float, float]:
    """Return the colour of a face of the cut: outside all zones, in one, or in one beside it."""
    share = 0.45 + 0.25 * (tint % 2)
    colour = mixed(PAPER.bone, PAPER.zone, share) if tint else mixed(PAPER.bone, PAPER.ink, 0.22)
    return colour.redF(), colour.greenF(), colour.blueF()


def _pieces(scene: Scene) -> list[tuple[PartShape, Piece]]:
    return [(part, piece) for part in scene.parts for piece in part.pieces]


def _tint(part: PartShape) -> str:
    """Return the tint of a part's state."""
    return PAPER.stop if part.fault else PAPER.accent
