"""A curve of a figure over the values of a setting, with a hand on its points."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.app.widgets.fields import keeps_arrows

#: Lines of several curves, told apart by their dashes as well; each bears its name at its end.
DASHES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DashDotDotLine,
)


def library() -> Any:
    """Return the library that draws curves; it takes a while to load, and is loaded beside the window."""
    return importlib.import_module("pyqtgraph")


@dataclass(frozen=True)
class Series:
    """One curve: its name, and the number of the row, the place along x and the figure of each of its points."""

    name: str
    rows: Sequence[int]
    x: Sequence[float]
    y: Sequence[float]


class Curve(QWidget):
    """Shows curves; a click, or Left and Right, choose a point."""

    chosen = Signal(int)

    def __init__(self, drawn_by: Any, parent: QWidget | None = None) -> None:
        """``drawn_by`` is the library."""
        super().__init__(parent)
        self.setObjectName("curve")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._library = drawn_by
        self._plot = drawn_by.PlotWidget(background=PAPER.sheet)
        item = self._plot.getPlotItem()
        item.setMenuEnabled(False)
        item.hideButtons()
        item.setMouseEnabled(False, False)
        item.showGrid(x=False, y=True, alpha=0.15)
        for side in ("left", "bottom"):
            axis = item.getAxis(side)
            axis.setPen(PAPER.faint)
            axis.setTextPen(PAPER.ink)
            axis.setStyle(tickFont=font(MARK))
            axis.enableAutoSIPrefix(False)
        self._plot.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._plot.viewport().installEventFilter(self)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self._plot)
        self._series: Sequence[Series] = ()
        self._at = -1

    def show_series(
        self, series: Sequence[Series], along: str, up: str, names: Sequence[str], say: Callable[[float], str]
    ) -> None:
        """Draw curves; ``names`` are those of the places along x where they are words, ``say`` reads a figure."""
        self._series = series
        item = self._plot.getPlotItem()
        item.clear()
        item.setLabel("bottom", along, color=PAPER.ink)
        item.setLabel("left", up, color=PAPER.ink)
        item.getAxis("bottom").setTicks([list(enumerate(names))] if names else None)
        item.getAxis("left").tickStrings = lambda values, scale, _: [say(value * scale) for value in values]
        for number, one in enumerate(series):
            pen = self._library.mkPen(PAPER.accent, width=2, style=DASHES[number % len(DASHES)])
            brush = self._library.mkBrush(PAPER.sheet)
            item.plot(
                list(one.x), list(one.y), pen=pen, symbol="o", symbolSize=8, symbolPen=PAPER.accent, symbolBrush=brush
            )
            if one.name and len(one.x):
                name = self._library.TextItem(one.name, color=PAPER.ink, anchor=(0, 0.5))
                name.setFont(font(MARK))
                name.setPos(one.x[-1], one.y[-1])
                item.addItem(name, ignoreBounds=True)
        ends = [x for one in series for x in one.x]
        if ends:  # room for names behind the last points
            wide = (max(ends) - min(ends)) or 1.0
            before, behind = (0.05 if names else 0.02) * wide, (0.1 if len(series) > 1 or names else 0.02) * wide
            item.setXRange(min(ends) - before, max(ends) + behind, 0)
        self.show_chosen(self._at)

    def show_chosen(self, row: int) -> None:
        """Mark the point of a row: a line across both axes, and a filled dot."""
        self._at = row
        item = self._plot.getPlotItem()
        for old in [one for one in item.items if getattr(one, "is_mark", False)]:
            item.removeItem(old)
        place = self._place_of(row)
        if place is None:
            return
        x, y = place
        pen = self._library.mkPen(PAPER.faint, width=1, style=Qt.PenStyle.DashLine)
        dot = self._library.ScatterPlotItem([x], [y], size=11, pen=PAPER.accent, brush=PAPER.accent)
        lines = (self._library.InfiniteLine(at, angle, pen) for at, angle in ((x, 90), (y, 0)))
        for mark in (*lines, dot):
            mark.is_mark = True
            item.addItem(mark, ignoreBounds=True)

    def _points(self) -> list[tuple[int, float, float]]:
        return [(row, x, y) for one in self._series for row, x, y in zip(one.rows, one.x, one.y, strict=True)]

    def _place_of(self, row: int) -> tuple[float, float] | None:
        return next(((x, y) for number, x, y in self._points() if number == row), None)

    def seen_at(self, row: int) -> QPointF | None:
        """Return where the point of a row is seen in the plot, none where there is none."""
        place = self._place_of(row)
        if place is None:
            return None
        scene = self._plot.getPlotItem().vb.mapViewToScene(QPointF(*place))
        return QPointF(self._plot.mapFromScene(scene))

    def eventFilter(self, _: object, event: QEvent) -> bool:  # noqa: N802 - Qt's name
        """Choose the point nearest to a press or a pointer that is dragged."""
        pressed = event.type() in {QEvent.Type.MouseButtonPress, QEvent.Type.MouseMove}
        if pressed and isinstance(event, QMouseEvent) and event.buttons() & Qt.MouseButton.LeftButton:
            self.setFocus(Qt.FocusReason.MouseFocusReason)
            self._choose_near(event.position())
            return True
        return False

    def _choose_near(self, at: QPointF) -> None:
        far = {}
        for row, _, _ in self._points():
            seen = self.seen_at(row)
            if seen is not None:
                far[row] = ((seen.x() - at.x()) ** 2 + (seen.y() - at.y()) ** 2) ** 0.5
        if far:
            self.chosen.emit(min(far, key=lambda row: far[row]))

    def event(self, event: QEvent) -> bool:
        """Keep the keys that step."""
        return keeps_arrows(event) or super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802 - Qt's name
        """Step from point to point."""
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        rows = [row for row, _, _ in self._points()]
        if step is None or not rows:
            super().keyPressEvent(event)
            return
        at = rows.index(self._at) + step if self._at in rows else 0
        self.chosen.emit(rows[min(max(at, 0), len(rows) - 1)])
