"""What the pointer does on the canvas: a press is judged once it is known what lies under it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt

from even_step.app.acts.placing import about, edit
from even_step.app.acts.zones import add_zone
from even_step.app.canvas.arcs import TurnArcs
from even_step.app.canvas.facing import FaceLight
from even_step.app.canvas.layer_measuring import measure_at
from even_step.app.canvas.line_picking import Asked, line_at
from even_step.app.canvas.picking import Hit, facet_normal, framed, pick
from even_step.app.canvas.under import UnderPointer
from even_step.app.canvas.zone_drawing import ZoneDrawing
from even_step.app.canvas.zone_edges import zone_at, zones_under
from even_step.app.canvas.zone_handles import ZoneHandles
from even_step.app.line_in_hand import line_in_hand
from even_step.app.measuring import Point
from even_step.core.job import edits
from even_step.core.job.spots import Spot, copy_at, has_part, part_of

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas

SLACK = 4.0  # points a press may wander before it is a drag
SNAP = 9.0  # points from which a corner draws a measured point
POINTING = frozenset({"face", "measure", "zone", "zone-face", "zone-backing"})  # tools that click and never drag
Buttons = Qt.MouseButton
Held = Qt.KeyboardModifier


@dataclass(eq=False)
class _Press:
    """A press of the left button; ``hit`` once it is known, ``known`` when it is."""

    begun: QPointF
    now: QPointF
    adds: bool
    known: bool = False
    hit: Hit | None = None
    released: bool = False
    drags: bool = False
    turned_to: QPointF = field(default_factory=QPointF)
    places: dict[Spot, tuple[float, float]] = field(default_factory=dict)


class Gestures:
    """Turns presses, moves and releases into views, picks and drags."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._press: _Press | None = None
        self._view: Buttons | None = None
        self._pans = False
        self._last = QPointF()
        self.frame = QRectF()
        self.arcs = TurnArcs(canvas)
        self.handles = ZoneHandles(canvas)
        self.drawing = ZoneDrawing(canvas)
        self.faces = FaceLight(canvas)
        self.under = UnderPointer(canvas)

    @property
    def busy(self) -> bool:
        """Whether a button is held."""
        return self._press is not None or self._view is not None

    def press(self, at: QPointF, button: Buttons, held: Held) -> None:
        """Begin."""
        self._last = at
        self.under.leave()
        if button in {Buttons.MiddleButton, Buttons.RightButton}:
            self._view = button
            self._pans = button == Buttons.RightButton or bool(held & Held.ShiftModifier)
        elif button == Buttons.LeftButton and (self.arcs.press(at) or self.handles.press(at)):
            self._canvas.camera_changed.emit()
        elif button == Buttons.LeftButton and self._canvas.scene.lines is not None:
            self._press = _Press(at, at, adds=False, known=True, turned_to=at)
        elif button == Buttons.LeftButton:
            self._press = press = _Press(at, at, bool(held & Held.ShiftModifier), turned_to=at)
            scene, camera = self._canvas.scene, self._canvas.camera

            def know(hit: Hit | None) -> None:
                there = hit is not None and has_part(self._canvas.desk.job, hit.spot.part)
                press.known, press.hit = True, hit if there else None
                self._judge(press)

            self._canvas.desk.background.run("pick", lambda: pick(scene, camera, at.x(), at.y()), know)

    def move(self, at: QPointF, held: Held = Held.NoModifier) -> None:
        """Go on."""
        step, self._last = at - self._last, at
        free = bool(held & Held.ControlModifier)
        if self.arcs.move(at, free=free) or self.handles.move(at, free=free):
            return
        if self._view is not None:
            camera = self._canvas.camera
            turned = camera.panned if self._pans else camera.turned
            self._canvas.look_from(turned(step.x(), step.y()))
        elif self._press:
            self._press.now = at
            self._judge(self._press)
        else:
            self.faces.move(at)
            self.drawing.move(at)
            if self._canvas.desk.view.tool not in POINTING:
                self.under.move(at)

    def release(self, at: QPointF) -> None:
        """End."""
        self._view = None
        if self.arcs.release() or self.handles.release():
            return
        if self._press:
            self._press.now, self._press.released = at, True
            self._judge(self._press)

    def take(self) -> bool:
        """Take what is being drawn, or a zone in the middle of the picked part; on layers the place in hand.

        Returns whether anything is drawn or measured at all.
        """
        desk = self._canvas.desk
        found = line_in_hand(desk.trials.shown, desk.view) if desk.rule.in_hand else None
        if found:
            desk.rule.put(found[1])
            return True
        if desk.view.tool != "zone":
            return False
        if self.drawing.box is None:
            self.drawing.leave()
            add_zone(desk, "box")
        else:
            self.drawing.take()
        return True

    def call_off(self) -> bool:
        """Let go of what is in hand without doing it; returns whether anything was."""
        canvas = self._canvas
        if canvas.desk.rule.put_away():
            return True
        if self.arcs.call_off() or self.handles.call_off() or self.drawing.leave():
            return True
        had = self._press is not None or canvas.desk.view.tool in POINTING
        self._press, self.frame = None, QRectF()
        if canvas.dragged:
            canvas.dragged = {}
            canvas.rebuild()
        if canvas.desk.view.tool == "face":
            self.faces.clear()
            canvas.desk.view.set("tool", "turn")
        elif canvas.desk.view.tool == "measure":
            canvas.desk.measuring.clear()
            canvas.desk.view.set("tool", "move")
        canvas.camera_changed.emit()
        return had

    def _judge(self, press: _Press) -> None:
        """Do what the press has become, as far as that is known."""
        if not press.known or press is not self._press:
            return
        far = press.now - press.begun
        if not press.drags and max(abs(far.x()), abs(far.y())) > SLACK and self._canvas.desk.view.tool not in POINTING:
            press.drags = True
            self._begin_drag(press)
        if press.drags:
            self._drag(press)
        if press.released:
            self._press = None
            self._end(press)

    def _begin_drag(self, press: _Press) -> None:
        desk = self._canvas.desk
        if press.hit is None:
            return
        if press.hit.spot not in desk.selection.spots:
            desk.selection.pick([press.hit.spot], add=press.adds)
        copies = {spot: copy_at(desk.job, spot).at for spot in desk.selection.spots}
        press.places = {spot: at for spot, at in copies.items() if at is not None}

    def _drag(self, press: _Press) -> None:
        canvas = self._canvas
        if press.hit is None and press.adds:
            self.frame = QRectF(press.begun, press.now).normalized()
            canvas.camera_changed.emit()
            return
        if press.hit is None:
            step, press.turned_to = press.now - press.turned_to, press.now
            canvas.look_from(canvas.camera.turned(step.x(), step.y()))
            return
        height = float(press.hit.place[2])
        start = canvas.camera.on_plane(press.begun.x(), press.begun.y(), height)
        end = canvas.camera.on_plane(press.now.x(), press.now.y(), height)
        if start is None or end is None:
            return
        by = edits.on_grid((end - start)[:2])
        canvas.dragged = {spot: (x + by[0], y + by[1]) for spot, (x, y) in press.places.items()}
        canvas.stir()
        canvas.rebuild()

    def _end(self, press: _Press) -> None:
        canvas, desk = self._canvas, self._canvas.desk
        if canvas.scene.lines is not None and not press.drags and desk.view.station == "Layers":
            if desk.rule.in_hand:
                measure_at(canvas, press.now)
            else:
                self._ask(press.now)
        if canvas.scene.lines is not None or (press.drags and press.hit is None and not press.adds):
            return  # the view was turned
        if press.drags and press.hit is None:
            corners = (press.begun.x(), press.begun.y(), press.now.x(), press.now.y())
            desk.selection.pick(framed(canvas.scene, canvas.camera, corners), add=press.adds)
            self.frame = QRectF()
            canvas.camera_changed.emit()
        elif press.drags:
            places, canvas.dragged = canvas.dragged, {}
            edit(desk, f"move {about(desk)}", lambda job: edits.placed_at(job, places))
            canvas.rebuild()
        elif desk.view.tool == "face" and press.hit is not None:
            self.faces.lay_down(press.hit)
        elif desk.view.tool.startswith("zone"):
            self.drawing.click(press.hit, press.now)
        elif desk.view.tool == "measure" and press.hit is not None:
            self._measure(press.hit, press.now)
        elif not press.adds and self._pick_zone(press.now):
            return
        elif press.hit is not None and press.hit.part.picked and not press.adds:
            self._pick_body(press.hit)
        else:
            desk.selection.pick([press.hit.spot] if press.hit else [], add=press.adds)

    def _ask(self, at: QPointF) -> None:
        """Ask the line under the pointer why it is as it is; on bare paper none is asked any more."""
        shape, camera, asked = self._canvas.scene.lines, self._canvas.camera, self._canvas.desk.asked_line

        def know(found: Asked | None) -> None:
            if found:
                asked.ask(*found)
            else:
                asked.clear()

        if shape is not None:
            self._canvas.desk.background.run("line", lambda: line_at(shape, camera, at.x(), at.y()), know)

    def _pick_zone(self, at: QPointF) -> bool:
        """Open the zone of a picked part whose edge or name lies under the pointer; returns whether one does."""
        canvas = self._canvas
        zone = zone_at(canvas.desk.job, canvas.scene, canvas.camera, canvas.rims, at)
        if zone is not None:
            canvas.desk.zoning.show(*zone)
            canvas.desk.view.set("station", "Parts")
        return zone is not None

    def next_zone(self, at: QPointF) -> bool:
        """Open the next of the zones under the pointer, after the last none; returns whether there are any."""
        canvas, zoning = self._canvas, self._canvas.desk.zoning
        under = zones_under(canvas.desk.job, canvas.scene, canvas.camera, canvas.rims, at)
        if not under or canvas.scene.lines is not None:
            return False
        known = zoning.open
        place = under.index((known[0], known[1].id)) + 1 if known and (known[0], known[1].id) in under else 0
        zoning.show(*(under[place] if place < len(under) else ("", "")))
        return True

    def _pick_body(self, hit: Hit) -> None:
        """A further click on an assembly picks the body under the pointer; once more lets go of it."""
        selection = self._canvas.desk.selection
        body = hit.part.model.body_of(hit.facet)
        several = len(hit.part.model.numbers) > 1
        alone = selection.spots == (hit.spot,)
        selection.pick_body([hit.spot], body if several and not (alone and body == selection.body) else None)

    def _measure(self, hit: Hit, at: QPointF) -> None:
        """Put down a point of measure where a part was hit, on the facet's corner if that is near."""
        desk, part = self._canvas.desk, hit.part
        mesh, matrix = part.model.mesh, part.matrix
        corners = mesh.vertices[mesh.faces[hit.facet]]
        seen = self._canvas.camera.project(corners @ matrix[:3, :3].T + matrix[:3, 3])
        far = np.hypot(seen[:, 0] - at.x(), seen[:, 1] - at.y())
        place = np.linalg.inv(matrix[:3, :3]) @ (hit.place - matrix[:3, 3])
        beneath, normal = (
            place,
            facet_normal(hit) * np.sign(np.linalg.det(np.diag(part_of(desk.job, hit.spot.part).stretch))),
        )
        if far.min() <= SNAP:
            place = corners[int(np.argmin(far))]
        desk.selection.pick([hit.spot])
        stood = matrix[:3, :3].copy()

        def find() -> float:
            from even_step.core.mesh.probe import thickness  # noqa: PLC0415 - kernels load after the window shows

            return thickness(mesh, beneath, normal, matrix[:3, :3])

        desk.background.run(
            "thickness", find, lambda deep: desk.measuring.add(Point(hit.spot, place, normal, deep, stood))
        )
