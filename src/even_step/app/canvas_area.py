"""The middle of the window: the canvas and what lies over it."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from even_step.app.canvas.canvas import Canvas
from even_step.app.canvas.line_pointing import LinePointing
from even_step.app.desk import Desk
from even_step.app.playing import Playing
from even_step.app.voids import Voids
from even_step.app.widgets.bed_tabs import BedTabs
from even_step.app.widgets.code_panel import CodePanel
from even_step.app.widgets.gap_lens import GapLens
from even_step.app.widgets.height_ruler import HeightRuler
from even_step.app.widgets.layer_bars import LayerBars
from even_step.app.widgets.note_bar import NoteBar
from even_step.app.widgets.overlay import Overlay
from even_step.app.widgets.paper_cube import PaperCube
from even_step.app.widgets.play_row import PlayRow
from even_step.app.widgets.step_curve import StepCurve

HELD = 150  # ms until it is looked again whether a button is still held


class CanvasArea(QWidget):
    """Lays ruler, bars and notes over the canvas."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.setMinimumWidth(320)
        self.canvas = Canvas(desk, self)
        self.voids = Voids(desk, self)
        self.pointing = LinePointing(self.canvas)
        self.playing = Playing(desk, self)
        self.overlay = Overlay(desk, self.canvas, self.voids, self)
        self.lens = GapLens(desk, self.canvas, self)
        self.ruler = HeightRuler(desk, self.canvas, self)
        self.curve = StepCurve(desk, self.ruler, self)
        self.bars = LayerBars(desk, self.canvas, self)
        self.play = PlayRow(desk, self)
        self.code = CodePanel(desk, self)
        self.cube = PaperCube(self.canvas, self)
        self.notes = NoteBar(self)
        self.beds = BedTabs(desk, self)
        self.beds.shown_changed.connect(self._lay_out)
        self.notes.size_changed.connect(self._follow_notes)
        desk.store.changed.connect(lambda _: self.notes.job_changed())
        desk.view.changed.connect(lambda _: self._show_bars())
        desk.view.changed.connect(lambda piece: self._show_code() if piece in {"code", "station"} else None)
        desk.trials.shown_changed.connect(self._show_code)
        desk.trials.shown_changed.connect(self._show_bars)
        self._show_bars()
        self._show_code()

    def _show_bars(self) -> None:
        for piece in (self.bars, self.play):
            piece.setVisible(self._desk.trials.shown is not None and self._desk.view.station == "Layers")

    def _show_code(self) -> None:
        view = self._desk.view
        self.code.setVisible(view.code and view.station == "Layers" and self._desk.trials.shown is not None)
        self._lay_out()

    def _follow_notes(self) -> None:
        """Make room for the notes, but not while something is dragged: it would slip from under the pointer."""
        if self.canvas.gestures.busy:
            QTimer.singleShot(HELD, self, self._follow_notes)
        else:
            self._lay_out()

    def resizeEvent(self, _: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        """Lay everything out."""
        self._lay_out()

    def _lay_out(self) -> None:
        wide, high = self.width(), self.height()
        top = 0 if self.beds.isHidden() else self.beds.height()
        self.beds.setGeometry(0, 0, wide, self.beds.height())
        self.notes.setGeometry(0, top, wide, self.notes.height())
        top += 0 if self.notes.isHidden() else self.notes.height()
        if not self.code.isHidden():
            beside = self.code.wide_of(wide)
            wide -= beside
            self.code.setGeometry(wide, top, beside, high - top)
        self.canvas.setGeometry(0, top, wide, high - top)
        self.overlay.setGeometry(0, top, wide, high - top)
        self.lens.setGeometry(0, top, wide, high - top)
        self.cube.move(wide - self.cube.width() - 8, top + 8)
        self.ruler.setGeometry(0, top, self.ruler.width(), high - top)
        self.curve.setGeometry(self.ruler.width(), top, self.curve.width(), high - top)
        left, bottom = self.ruler.width(), high
        for piece in (self.play, self.bars):
            bottom -= piece.height()
            piece.setGeometry(left, bottom, wide - left, piece.height())
