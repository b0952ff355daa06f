"""What is written over the canvas: numbers along the bed, marks at parts, the place of a finding, voids."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from even_step.app.canvas.canvas import Canvas
from even_step.app.canvas.scene import PartShape, Scene
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import pixmap
from even_step.app.theme.type import MARK, font
from even_step.app.voids import Voids
from even_step.app.widgets.layers_overlay import LayersOverlay
from even_step.app.widgets.slip import draw_measured, draw_slip
from even_step.app.widgets.zone_lines import draw_zone_in_hand, draw_zones
from even_step.core.job.model import Bed
from even_step.core.job.spots import part_of

MOST_LIT, FEW_LIT = 4000, 200  # facets of a face that are lit, and so few that their seams are taken out
LEAST_APART = 34.0  # points between numbers
AWAY = 9.0  # mm from the bed's edge to its numbers
QUARTER = 0.72  # of a round bed's radius: what its quarter of the rim reaches to either side
UNDER_AT = 86.0  # points from the left edge: beside the ruler
NEARLY = 0.999  # of the way: what touches the place itself does not hide it


Place = tuple[float, float, float]  # mm


def _at_rim(bed: Bed, axis: int, value: float, out: float) -> Place | None:
    """Return where the number of a round bed's line stands, by its end; none where the other axis has its own."""
    x0, _, x1, _ = bed.bounds
    radius, centre = (x1 - x0) / 2, bed.centre
    off = value - centre[axis]
    if abs(off) > QUARTER * radius:
        return None
    reach = 1 + AWAY / radius
    ends = off * reach, out * float(np.sqrt(radius**2 - off**2)) * reach
    x, y = ends if axis == 0 else ends[::-1]
    return centre[0] + x, centre[1] + y, 0.0


class Overlay(QWidget):
    """Draws over the canvas and lets the pointer through."""

    def __init__(self, desk: Desk, canvas: Canvas, voids: Voids, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._canvas, self._layers = desk, canvas, LayersOverlay(desk, canvas, voids)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._boxed: Scene | None = None
        self._box_rows: NDArray[np.float64] = np.zeros((0, 2, 3))
        for signal in (
            canvas.camera_changed,
            canvas.scene_changed,
            voids.changed,
            desk.measuring.changed,
            desk.zoning.changed,
            desk.asked_line.changed,
            desk.rule.changed,
            desk.store.changed,
        ):
            signal.connect(lambda *_: self.update())
        desk.view.changed.connect(lambda piece: self.update() if piece in {"pin", "marks"} else None)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw all of it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._numbers(painter)
        self._fan(painter)
        if self._desk.view.station == "Parts":
            self._kept_free(painter)
            self._fault(painter)
        if self._desk.view.station in {"Parts", "Recipe"}:
            for part in self._canvas.scene.parts:
                draw_zones(painter, self._canvas, part_of(self._desk.job, part.spot.part), part)
            draw_zone_in_hand(painter, self._canvas)
        for part in self._canvas.scene.parts:
            if part.fault:
                self._tell(painter, part)
        if self._canvas.scene.lines:
            self._layers.draw(painter, self.width())
        self._face(painter)
        self._arcs(painter)
        if self._desk.view.tool == "measure" and not self._canvas.scene.lines:
            self._measured(painter)
        self._under(painter)
        frame = self._canvas.gestures.frame
        if not frame.isEmpty():
            painter.setPen(QPen(QColor(PAPER.accent), 1, Qt.PenStyle.DashLine))
            painter.setBrush(QBrush(QColor(106, 61, 111, 24)))
            painter.drawRect(frame)
        painter.end()

    def _seen(self, *points: Place) -> list[QPointF]:
        at = self._canvas.camera.project(np.array(points, np.float64))
        return [QPointF(float(x), float(y)) for x, y, _ in at]

    def _behind(self, places: Sequence[Place]) -> NDArray[np.bool_]:
        """Tell of each place whether a part stands between it and the eye; parts count as their boxes."""
        boxes = self._boxes()
        if len(boxes) == 0 or len(places) == 0:
            return np.zeros(len(places), np.bool_)
        eye = self._canvas.camera.eye
        way = (np.array(places, np.float64) - eye)[:, None, None, :]
        with np.errstate(divide="ignore", invalid="ignore"):
            reach = (boxes - eye) / way  # place, part, corner, axis
        enters, leaves = np.fmin(reach[:, :, 0], reach[:, :, 1]), np.fmax(reach[:, :, 0], reach[:, :, 1])
        enters, leaves = np.nanmax(enters, axis=2), np.nanmin(leaves, axis=2)
        return np.asarray(((enters < leaves) & (enters > 0) & (enters < NEARLY)).any(axis=1))

    def _boxes(self) -> NDArray[np.float64]:
        scene = self._canvas.scene
        if self._boxed is not scene:
            self._boxed = scene
            self._box_rows = np.array([part.box for part in scene.parts]).reshape(-1, 2, 3)
        return self._box_rows

    def _numbers(self, painter: QPainter) -> None:
        """Write millimetres along the two edges of the bed that are nearest to the viewer."""
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.faint))
        numbers = self._along_edges()
        places = [place for place, _ in numbers]
        hidden = self._behind(places)
        for (_, value), at, behind in zip(numbers, self._seen(*places) if places else (), hidden, strict=True):
            if not behind:
                painter.drawText(QRectF(at.x() - 24, at.y() - 8, 48, 16), Qt.AlignmentFlag.AlignCenter, f"{value:g}")

    def _along_edges(self) -> list[tuple[Place, float]]:
        """Return where numbers stand along the two edges of the bed that are nearest to the viewer, and these."""
        bed = self._canvas.scene.bed.bed
        x0, y0, x1, y1 = bed.bounds
        away = self._canvas.camera.away
        front, side = (y0 if away[1] <= 0.02 else y1), (x0 if away[0] <= 0.02 else x1)
        out_y, out_x = (-1.0 if front == y0 else 1.0), (-1.0 if side == x0 else 1.0)
        corner, along_x, along_y = self._seen(
            (side, front, 0), (side - out_x * 50, front, 0), (side, front - out_y * 50, 0)
        )
        found: list[tuple[Place, float]] = []
        for axis, (other, low, high) in enumerate(((along_x, x0, x1), (along_y, y0, y1))):
            step = 50 if QLineF(corner, other).length() >= LEAST_APART else 100
            for value in range(step * int(np.ceil(low / step)), int(high) + 1, step):
                if bed.shape == "round":
                    place = _at_rim(bed, axis, value, out_y if axis == 0 else out_x)
                elif axis == 1 and value == front:
                    continue  # the corner has its number from the other edge
                else:
                    place = (value, front + out_y * AWAY, 0.0) if axis == 0 else (side + out_x * AWAY, value, 0.0)
                if place is not None:
                    found.append((place, value))
        return found

    def _fan(self, painter: QPainter) -> None:
        """Mark the side the cooling air comes from."""
        shape = self._canvas.scene.bed
        x0, y0, x1, y1 = shape.bed.bounds
        cx, cy = shape.bed.centre
        place = {"front": (cx, y0 - 20), "back": (cx, y1 + 14), "left": (x0 - 20, cy), "right": (x1 + 20, cy)}[
            shape.fan_side
        ]
        if self._behind([(*place, 0.0)])[0]:
            return
        at = self._seen((*place, 0.0))[0]
        painter.drawPixmap(at - QPointF(24, 7), pixmap("fan", PAPER.faint, 14))
        painter.drawText(QRectF(at.x() - 7, at.y() - 8, 60, 16), Qt.AlignmentFlag.AlignVCenter, "air")

    def _tell(self, painter: QPainter, part: PartShape) -> None:
        """Say at a part what is wrong with it."""
        low, high = part.box
        at = self._seen(((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2]))[0]
        draw_slip(painter, at - QPointF(0, 21), part.fault, PAPER.stop)

    def _kept_free(self, painter: QPainter) -> None:
        """Hatch the areas of the bed that are kept free."""
        painter.setPen(QPen(QColor(PAPER.ink), 1, Qt.PenStyle.DashLine))
        painter.setBrush(QBrush(QColor(PAPER.ink), Qt.BrushStyle.DiagCrossPattern))
        painter.setOpacity(0.45)
        for x0, y0, x1, y1 in self._desk.job.layout.keep_out:
            painter.drawPolygon(QPolygonF(self._seen((x0, y0, 0), (x1, y0, 0), (x1, y1, 0), (x0, y1, 0))))
        painter.setOpacity(1.0)

    def _fault(self, painter: QPainter) -> None:
        """Mark the layer at which a slice of the job as it is failed."""
        fault = self._desk.trials.fault_of(self._desk.job_of_bed)
        for part in self._canvas.scene.parts if fault else ():
            if fault and part_of(self._desk.job, part.spot.part).name == fault[0]:
                (x0, y0, _), (x1, y1, _) = part.box
                ring = self._seen(*((x, y, fault[1]) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))))
                painter.setPen(QPen(QColor(PAPER.stop), 1.5, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolygon(QPolygonF(ring))
                middle = (ring[0] + ring[2]) / 2
                draw_slip(painter, middle, f"not worked out at {fault[1]:.2f} mm", PAPER.stop)

    def _under(self, painter: QPainter) -> None:
        """Name what a click would pick."""
        words = self._canvas.gestures.under.words
        if not words:
            return
        painter.setFont(font(MARK))
        wide, tall = painter.fontMetrics().horizontalAdvance(words) + 12, painter.fontMetrics().height() + 4
        slip = QRectF(UNDER_AT, self.height() - tall - 8, wide, tall)
        painter.fillRect(slip, QColor(PAPER.sheet))
        painter.setPen(QColor(PAPER.ink))
        painter.drawText(slip, Qt.AlignmentFlag.AlignCenter, words)

    def _face(self, painter: QPainter) -> None:
        """Light up the face under the pointer that a click would lay on the bed."""
        faces = self._canvas.gestures.faces
        if faces.lit is None or not faces.looks:
            return
        seen = self._canvas.camera.project(faces.lit.corners.reshape(-1, 3))[:, :2].reshape(-1, 3, 2)
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.WindingFill)
        for facet in seen[:MOST_LIT]:
            path.addPolygon(QPolygonF([QPointF(float(x), float(y)) for x, y in (*facet, facet[0])]))
        light = QColor(PAPER.accent)
        light.setAlpha(90)
        painter.fillPath(path.simplified() if len(seen) <= FEW_LIT else path, light)

    def _arcs(self, painter: QPainter) -> None:
        """Draw the arcs that turn the part in hand, and by how much it is turned."""
        pulled = self._canvas.gestures.arcs.pulled
        for arc in self._canvas.gestures.arcs.shown:
            points = [QPointF(float(x), float(y)) for x, y, _ in self._canvas.camera.project(arc.points())]
            held = pulled is not None and pulled[0] == arc.axis
            for colour, wide in ((PAPER.sheet, 5.0), (PAPER.accent, 3.0 if held else 1.5)):
                painter.setPen(QPen(QColor(colour), wide))
                painter.drawPolyline(points)
            words = f"{'XYZ'[arc.axis]} {pulled[1]:+g}°" if held and pulled else "XYZ"[arc.axis]
            draw_slip(painter, points[len(points) // 2], words, PAPER.accent)

    def _measured(self, painter: QPainter) -> None:
        """Draw the points of measure, and the distance between them."""
        places = self._desk.measuring.on_bed()
        seen = self._seen(*((float(x), float(y), float(z)) for x, y, z in places)) if places else []
        found = self._desk.measuring.reading()
        draw_measured(painter, seen, f"{found.distance:.2f} mm" if found else "")
