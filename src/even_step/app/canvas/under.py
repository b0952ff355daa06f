"""What a click would pick, told before it is made: the zone by its edge or name, else the part, or its body."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF

from even_step.app.canvas.picking import Hit, pick
from even_step.app.canvas.zone_edges import zone_at, zones_under
from even_step.core.job.spots import has_part, part_of, title_of

if TYPE_CHECKING:
    from even_step.app.canvas.canvas import Canvas


class UnderPointer:
    """Looks under the pointer beside the window; ``words`` are none where a click picks nothing."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self.words = ""

    def move(self, at: QPointF) -> None:
        """Look at a point of the screen."""
        canvas, job = self._canvas, self._canvas.desk.job
        seen = job, canvas.scene, canvas.camera, canvas.rims, at
        if canvas.scene.lines is not None or not canvas.scene.parts:
            self._point_at(None)
            self._tell("")
        elif zone := zone_at(*seen):
            self._point_at(None)
            part = part_of(job, zone[0])
            self._tell(f"zone {next(one.title for one in part.zones if one.id == zone[1])} of {part.name}")
        else:
            more = len(zones_under(*seen))
            several = f" · Tab goes through {more} zone{'s' * (more > 1)} here" if more else ""

            def know(hit: Hit | None) -> None:
                self._point_at(hit)
                name = self._name(hit) if hit else ""
                self._tell(name + several + self._layer_at(hit) if hit and name else "")

            canvas.desk.background.run("under", lambda: pick(canvas.scene, canvas.camera, at.x(), at.y()), know)

    def leave(self) -> None:
        """Nothing is under the pointer any more."""
        self._canvas.desk.background.forget("under")
        self._point_at(None)
        self._tell("")

    def _name(self, hit: Hit) -> str:
        """Name what a click there picks: of a part that is picked, the body under the pointer."""
        job, model = self._canvas.desk.job, hit.part.model
        if not has_part(job, hit.spot.part):
            return ""
        title = title_of(job, hit.spot)
        body = model.body_of(hit.facet) if hit.part.picked and len(model.numbers) > 1 else None
        return title if body is None else f"body {body} of {title}"

    def _point_at(self, hit: Hit | None) -> None:
        """Mark the height of what lies under the pointer where heights will differ."""
        differ = hit is not None and hit.part.bands is not None
        self._canvas.desk.view.set("pointed_z", float(hit.place[2]) if hit and differ else -1.0)

    def _layer_at(self, hit: Hit) -> str:
        """Say how thick the layer under the pointer will be where heights will differ."""
        z = float(hit.place[2])
        high = self._canvas.desk.foreseen_heights.thickness_at(hit.spot.part, z) if hit.part.bands is not None else 0.0
        return f" · {high:.3g} mm layer at {z:.1f} mm" if high else ""

    def _tell(self, words: str) -> None:
        if words != self.words:
            self.words = words
            self._canvas.camera_changed.emit()
