"""By what the lines are coloured: the choice, and what the colours mean."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from even_step.app.canvas.palette import NOBODY, kind_colour, only_colours, scale_colour, shades_of
from even_step.app.desk import Desk
from even_step.app.theme.colours import PAPER
from even_step.app.theme.type import MARK, font
from even_step.app.trials import Trial
from even_step.app.widgets.fields import ChoiceField
from even_step.app.widgets.sheet import clear, label, line
from even_step.core.channels import CHANNELS, SCALES

WORDS = {
    "height": "layer height",
    "width": "line width",
    "time": "layer time",
    "fan": "cooling fan",
    "only": "only in this trial",
}
STOPS = 9  # of a scale as it is drawn
MOST_NAMED = 12  # parts that are listed


class ScaleBar(QWidget):
    """A scale with the numbers at its ends and in its middle."""

    def __init__(self, low: float, high: float, unit: str) -> None:
        super().__init__()
        self._low, self._high, self._unit = low, high, unit
        self._pointed: float | None = None
        self.setFixedHeight(34)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"from {low:.3g} to {high:.3g} {unit}")

    def point_at(self, value: float | None) -> None:
        """Mark where a number lies on the scale, and write it; none marks nothing."""
        if value != self._pointed:
            self._pointed = value
            self.setToolTip("" if value is None else f"{value:.4g} {self._unit}")
            self.update()

    def sizeHint(self) -> QSize:  # noqa: N802 - Qt's name
        """Return the size of a bar."""
        return QSize(280, 34)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Draw it."""
        painter = QPainter(self)
        bar = QRectF(2, 4, self.width() - 4, 10)
        ramp = QLinearGradient(bar.topLeft(), bar.topRight())
        for k in range(STOPS):
            ramp.setColorAt(k / (STOPS - 1), scale_colour(k / (STOPS - 1)))
        painter.fillRect(bar, ramp)
        painter.setPen(QColor(PAPER.rule))
        painter.drawRect(bar)
        painter.setFont(font(MARK))
        painter.setPen(QColor(PAPER.ink))
        below = QRectF(2, 17, self.width() - 4, 16)
        if self._pointed is not None:
            self._mark(painter, bar, self._pointed)
            painter.end()
            return
        middle = (self._low + self._high) / 2
        for at, value, unit in (
            (Qt.AlignmentFlag.AlignLeft, self._low, ""),
            (Qt.AlignmentFlag.AlignHCenter, middle, ""),
            (Qt.AlignmentFlag.AlignRight, self._high, f" {self._unit}"),
        ):
            painter.drawText(below, at, f"{value:.3g}{unit}")
        painter.end()

    def _mark(self, painter: QPainter, bar: QRectF, value: float) -> None:
        """Point at a number of the scale, with the number below."""
        x = bar.left() + bar.width() * (value - self._low) / max(self._high - self._low, 1e-9)
        painter.setPen(QPen(QColor(PAPER.accent), 2.0))
        painter.drawLine(QPointF(x, bar.top() - 3), QPointF(x, bar.bottom() + 4))
        words = f"{value:.4g} {self._unit}"
        wide = painter.fontMetrics().horizontalAdvance(words) + 4
        left = min(max(x - wide / 2, bar.left()), bar.right() - wide)
        painter.drawText(QRectF(left, 18, wide, 16), Qt.AlignmentFlag.AlignCenter, words)


class Swatch(QWidget):
    """A square of one colour."""

    def __init__(self, colour: QColor) -> None:
        super().__init__()
        self._colour = colour
        self.setFixedSize(12, 12)

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Fill it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._colour)
        painter.end()


class ColourRows(QWidget):
    """Choose by what lines are coloured, and read what the colours mean."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._field = ChoiceField("colour by", tuple(WORDS.get(one, one) for one in CHANNELS))
        self._field.setAccessibleName("colour by")
        self._scale: ScaleBar | None = None
        desk.only_here.changed.connect(self.refresh)
        desk.view.changed.connect(lambda piece: self._point() if piece == "pointed_path" else None)
        self._field.activated.connect(lambda index: desk.view.set("colour_by", CHANNELS[index]))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.addLayout(line("Colour by", 1, self._field))
        self._legend = QVBoxLayout()
        self._legend.setContentsMargins(0, 4, 0, 0)
        self._legend.setSpacing(4)
        box.addLayout(self._legend)

    def refresh(self) -> None:
        """Show what the colours of the trial in view mean."""
        channel, trial = self._desk.view.colour_by, self._desk.trials.shown
        self._field.setCurrentIndex(CHANNELS.index(channel))
        self._scale = None
        clear(self._legend)
        if trial is None or trial.lines is None or channel == "role":
            return
        if channel == "only":
            self._tell_only()
            return
        if channel in SCALES:
            shades = shades_of(trial.lines, channel)
            self._scale = ScaleBar(shades.low, shades.high, SCALES[channel])
            self._legend.addWidget(self._scale)
            return
        for name, colour in _kinds(trial, channel):
            row = line(Swatch(colour), label(name), 1)
            self._legend.addLayout(row)

    def _point(self) -> None:
        """Read the scale where the pointer rests."""
        trial, path, channel = self._desk.trials.shown, self._desk.view.pointed_path, self._desk.view.colour_by
        if self._scale is None or trial is None or trial.lines is None:
            return
        values = trial.lines.of_paths(channel) if 0 <= path < len(trial.lines.by_part) else None
        self._scale.point_at(float(values[path]) if values is not None else None)

    def _tell_only(self) -> None:
        other, known = self._desk.only_here.against, self._desk.only_here.marks
        if other is None:
            self._legend.addWidget(
                label("There is no second trial to hold it against: slice again.", "mark", wrap=True)
            )
            return
        if other.lines is None:
            told = f"The lines of trial {other.number} are not at hand: click its ticket, then this one's."
            self._legend.addWidget(label(told, "mark", wrap=True))
            return
        both, alone = only_colours()
        count = "" if known is None else f", {int(known.sum())} of {len(known)} lines"
        for colour, words in ((alone, f"not in trial {other.number}{count}"), (both, f"in trial {other.number} too")):
            said = label(words)
            said.setObjectName("only told")
            self._legend.addLayout(line(Swatch(colour), said, 1))


def _kinds(trial: Trial, channel: str) -> list[tuple[str, QColor]]:
    """Name each material in use, each copy or each zone, with its colour."""
    if channel == "material":
        used = trial.report["material"]
        return [(f"{one['extruder']}  {one['name']}", kind_colour(one["extruder"] - 1)) for one in used]
    if channel == "zone":
        zones = [f"{part.name}: {zone.title}" for part in trial.job.parts for zone in part.zones]
        return _listed(zones, "in no zone" if zones else "no part has zones")
    names = [
        part.name if k == 0 else f"{part.name} {k + 1}" for part in trial.job.parts for k in range(len(part.copies))
    ]
    return _listed(names, "no part's")


def _listed(names: list[str], none: str) -> list[tuple[str, QColor]]:
    rows = [(name, kind_colour(number)) for number, name in enumerate(names[:MOST_NAMED])]
    more = len(names) - MOST_NAMED
    return [*rows, *([(f"and {more} more", QColor(PAPER.sheet))] if more > 0 else []), (none, QColor(NOBODY))]
