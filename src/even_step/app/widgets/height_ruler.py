"""The height ruler at the canvas' left edge: measure and cut in Parts and Recipe, the slider of layers in Layers."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QWidget

from even_step.app.acts.layers import step_layer
from even_step.app.acts.views import CUT_STEP, move_cut, put_cut
from even_step.app.canvas.canvas import Canvas
from even_step.app.cut_open import AT as CUT_AT
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER, mixed
from even_step.app.theme.type import MARK, font
from even_step.app.widgets.marks import draw_mark
from even_step.app.widgets.veil import draw_veil

WIDTH = 78
AXIS = 14.0
ABOVE, BELOW = 70.0, 96.0
STEPS = (1, 2, 5, 10, 20, 50, 100)
LEAST_APART = 26.0
STEP_ROOM = 46.0  # points that the thickest layer to come is wide


class HeightRuler(QWidget):
    """Millimetres up the build volume."""

    def __init__(self, desk: Desk, canvas: Canvas, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._canvas = desk, canvas
        self._held = -1
        self.setObjectName("ruler")
        self.setAccessibleName("height ruler")
        self.setToolTip("Drag: where the parts are cut open; in Layers, which layers are seen")
        self.setFixedWidth(WIDTH)
        self.setMouseTracking(True)
        desk.view.changed.connect(lambda _: self.update())
        desk.store.changed.connect(lambda _: self.update())
        desk.selection.changed.connect(self.update)
        desk.shelf.arrived.connect(lambda _: self.update())
        desk.trials.shown_changed.connect(self.update)
        desk.foreseen_heights.changed.connect(self.update)

    @property
    def _slides(self) -> bool:
        """Whether it is the slider of the layers."""
        return self._tops is not None and self._desk.view.station == "Layers"

    @property
    def _cuts(self) -> bool:
        """Whether it says where the parts are cut open."""
        return self._desk.view.station in CUT_AT and bool(self._canvas.scene.parts)

    @property
    def _tops(self) -> np.ndarray[tuple[int], np.dtype[np.float64]] | None:
        lines = self._canvas.scene.lines
        return lines.lines.top if lines else None

    @property
    def tallest(self) -> float:
        """What the ruler is scaled to, mm."""
        tops = self._tops
        if tops is not None:
            return max(float(tops.max()), 1.0)
        return max([float(part.size[2]) for part in self._canvas.scene.parts] or [50.0])

    def y_of(self, z: float) -> float:
        """Return where a height lies on the widget."""
        room = max(40.0, self.height() - ABOVE - BELOW)
        return self.height() - BELOW - room * z / self.tallest

    def _layer_at(self, y: float) -> int:
        tops = self._tops
        if tops is None:
            return 0
        z = self._z_at(y)
        high = float(np.min(tops, where=tops >= z - 1e-9, initial=float(tops.max())))
        # Where parts are laid one by one several layers have this height: the one nearest to those that are seen.
        near = np.flatnonzero(tops == high)
        return int(near[np.argmin(np.abs(near - self._desk.view.layers[1]))])

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw axis, bands and ends."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, bottom = self.y_of(self.tallest), self.y_of(0)
        draw_veil(painter, QRectF(0, top - 44, WIDTH, bottom - top + 68), ("right", "top", "bottom"))
        self._bands(painter)
        self._steps(painter)
        self._axis(painter)
        if self._slides:
            self._marks(painter)
            self._ends(painter)
        elif self._cuts:
            cut = self._desk.cut_open.at
            z, shown = min(cut, self.tallest), cut < self.tallest
            self._flag(painter, z, PAPER.accent if shown else PAPER.faint, f"{z:.1f}" if shown else "cut")
        painter.end()

    def _axis(self, painter: QPainter) -> None:
        room, tallest, bottom = max(40.0, self.height() - ABOVE - BELOW), self.tallest, self.y_of(0)
        step = next((s for s in STEPS if room * s / tallest >= LEAST_APART), STEPS[-1])
        fine = step / 5
        painter.setFont(font(MARK))
        painter.setPen(QPen(QColor(PAPER.faint), 1))
        painter.drawLine(QPointF(AXIS, bottom), QPointF(AXIS, bottom - room))
        for k in range(int(tallest / fine) + 1):
            y = bottom - room * k * fine / tallest
            whole = k % 5 == 0
            painter.drawLine(QPointF(AXIS, y), QPointF(AXIS + (9 if whole else 4), y))
            if whole:
                painter.drawText(QRectF(AXIS + 12, y - 8, 36, 16), Qt.AlignmentFlag.AlignVCenter, f"{k * fine:g}")
        painter.drawText(QRectF(AXIS - 10, bottom - room - 24, 50, 16), Qt.AlignmentFlag.AlignVCenter, "mm")

    def _bands(self, painter: QPainter) -> None:
        """Show the height of what is picked, or which layers are seen."""
        low, high = 0.0, 0.0
        tops = self._tops
        if tops is not None and not self._slides:
            return
        if tops is not None:
            first, last = self._desk.view.layers
            last = min(last, len(tops) - 1)
            low, high = (float(tops[first - 1]) if 0 < first <= last else 0.0), float(tops[last])
        else:
            picked = [float(part.size[2]) for part in self._canvas.scene.parts if part.picked]
            high = max(picked or [0.0])
        if high > low:
            band = QRectF(AXIS - 6, self.y_of(high), 6, self.y_of(low) - self.y_of(high))
            painter.fillRect(band, mixed(PAPER.paper, PAPER.accent, 0.35))

    def _steps(self, painter: QPainter) -> None:
        """Draw how thick each layer of the part in hand will be, and tell it at the pointer."""
        heights, part = self._desk.foreseen_heights, self._part_to_come()
        found = heights.of_part(part)
        if found is None:
            return
        top, thick = found
        widest = float(thick.max())
        wash = mixed(PAPER.paper, PAPER.accent, 0.22)
        for upper, high in zip(top.tolist(), thick.tolist(), strict=True):
            y, wide = self.y_of(upper), STEP_ROOM * high / widest
            painter.fillRect(QRectF(AXIS, y, wide, max(self.y_of(upper - high) - y, 0.4)), wash)
        z = self._desk.view.pointed_z
        if high := heights.thickness_at(part, z):
            painter.setPen(QPen(QColor(PAPER.accent), 1))
            painter.drawLine(QPointF(AXIS, self.y_of(z)), QPointF(WIDTH, self.y_of(z)))
            painter.setFont(font(MARK, bold=True))
            painter.drawText(QRectF(AXIS + 12, self.y_of(z) - 16, WIDTH, 14), f"{high:.3g} mm")

    def _part_to_come(self) -> str:
        """Return the part whose layers to come are shown: the one in hand, or the only one; none elsewhere."""
        if self._desk.view.station != "Recipe":
            return ""
        shown, picked = self._canvas.scene.parts, self._desk.selection.in_hand
        return picked.part if picked else shown[0].spot.part if len({one.spot.part for one in shown}) == 1 else ""

    def _z_at(self, y: float) -> float:
        room = max(40.0, self.height() - ABOVE - BELOW)
        return (self.height() - BELOW - y) / room * self.tallest

    def leaveEvent(self, _: QEvent) -> None:  # noqa: N802 - Qt's name
        """Tell no height any more."""
        self._desk.view.set("pointed_z", -1.0)

    def _marks(self, painter: QPainter) -> None:
        """Show at which heights there are findings."""
        trial = self._desk.trials.shown
        for finding in trial.report["findings"] if trial else ():
            if finding["layer"] >= 0 and finding["severity"] != "note":
                draw_mark(painter, finding["severity"], AXIS - 6, self.y_of(finding["z_mm"]))

    def _ends(self, painter: QPainter) -> None:
        """Draw the two ends as flags with their heights."""
        tops = self._tops
        if tops is None:
            return
        first, last = (min(end, len(tops) - 1) for end in self._desk.view.layers)
        ends = [(float(tops[last]), 1)]
        if not self._canvas.scene.flat and first > 0:
            ends.append((float(tops[first - 1]), 0))
        for z, end in ends:
            self._flag(painter, z, PAPER.accent if end else PAPER.faint, f"{z:.2f}")

    def _flag(self, painter: QPainter, z: float, colour: str, text: str) -> None:
        """Draw a flag at a height."""
        y = self.y_of(z)
        flag = [(2.0, 0.0), (10.0, -7.0), (58.0, -7.0), (58.0, 7.0), (10.0, 7.0)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(colour))
        painter.drawPolygon(QPolygonF([QPointF(AXIS + x, y + off) for x, off in flag]))
        painter.setFont(font(MARK, bold=True))
        painter.setPen(QColor(PAPER.sheet))
        painter.drawText(QRectF(AXIS + 10, y - 8, 46, 16), Qt.AlignmentFlag.AlignCenter, text)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Take the nearer end; the lower one only when it is clearly meant."""
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._cuts:
            self._held = 1
            self._cut_to(event.position().y())
        if not self._slides:
            return
        layer = self._layer_at(event.position().y())
        first, last = self._desk.view.layers
        lower = not self._canvas.scene.flat and (
            layer < first or (layer - first < last - layer and self._near_first(event))
        )
        self._held = 0 if lower else 1
        self._drag_to(layer)

    def _near_first(self, event: QMouseEvent) -> bool:
        """Whether the press is at the flag of the lower end, or at the very foot of the axis."""
        tops = self._tops
        first = self._desk.view.layers[0]
        z = float(tops[first - 1]) if tops is not None and first > 0 else 0.0
        return abs(event.position().y() - self.y_of(z)) <= 9

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Drag the end in hand; tell how thick the layer at the pointer will be."""
        if self._desk.view.station == "Recipe":
            z = self._z_at(event.position().y())
            self._desk.view.set("pointed_z", z if 0.0 <= z <= self.tallest else -1.0)
        if self._held >= 0 and self._cuts:
            self._cut_to(event.position().y())
        elif self._held >= 0:
            self._drag_to(self._layer_at(event.position().y()))

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:  # noqa: N802 - Qt's name
        """Let go."""
        self._held = -1

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802 - Qt's name
        """Step a layer a notch."""
        notches = round(event.angleDelta().y() / 120)
        if self._cuts:
            move_cut(self._desk, notches * CUT_STEP)
        else:
            step_layer(self._desk, notches)

    def _cut_to(self, y: float) -> None:
        put_cut(self._desk, self._z_at(y))

    def _drag_to(self, layer: int) -> None:
        tops = self._tops
        if tops is None:
            return
        first, last = self._desk.view.layers
        if self._held == 0:
            self._desk.view.show_layers(min(layer, last), last, len(tops))
        else:
            self._desk.view.show_layers(min(first, layer), layer, len(tops))
