"""Play and pause, how fast, and how far along the layer in hand."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSlider, QWidget

from even_step.app.desk import Desk
from even_step.app.playing import PACES
from even_step.app.theme.colours import PAPER
from even_step.app.theme.icons import icon
from even_step.app.widgets.fields import ChoiceField

STEPS = 1000  # of the slider
HEIGHT = 30
VEIL = 0.9  # how much of what lies beneath is hidden
WIDE_ENOUGH = 440  # points for the words beside the slider
WORDS = ("whole in 30 s", "as it prints", "10 times", "100 times")


class PlayRow(QWidget):
    """Lies along the bars of layers."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.setFixedHeight(HEIGHT)
        self._play = QPushButton()
        self._play.setObjectName("play")
        self._play.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._play.clicked.connect(lambda: desk.view.toggle("playing"))
        self._pace = ChoiceField("pace", WORDS)
        self._pace.setMinimumWidth(112)
        self._pace.setAccessibleName("how fast it plays")
        self._pace.setToolTip("How fast it plays")
        self._pace.activated.connect(lambda index: desk.view.set("pace", PACES[index]))
        self._along = QSlider(Qt.Orientation.Horizontal)
        self._along.setObjectName("along")
        self._along.setMinimumWidth(60)
        self._along.setAccessibleName("how far along the layer")
        self._along.setToolTip("How far along the layer in hand (Left, Right)")
        self._along.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._along.setRange(0, STEPS)
        self._along.valueChanged.connect(lambda value: desk.view.set("along", value / STEPS))
        self._told = QLabel()
        self._told.setObjectName("along told")
        box = QHBoxLayout(self)
        box.setContentsMargins(20, 0, 20, 2)
        box.setSpacing(8)
        for piece in (self._play, self._pace):
            box.addWidget(piece)
        box.addWidget(self._along, 1)
        box.addWidget(self._told)
        desk.view.changed.connect(self._follow)
        self._follow("playing")
        self._follow("along")

    def paintEvent(self, _: QPaintEvent) -> None:  # noqa: N802 - Qt's name
        """Lie on paper, so that lines beneath do not run through the words."""
        painter = QPainter(self)
        painter.setOpacity(VEIL)
        painter.fillRect(self.rect(), QColor(PAPER.paper))
        painter.end()

    def resizeEvent(self, _: QResizeEvent) -> None:  # noqa: N802 - Qt's name
        """Where there is little room the slider keeps it."""
        self._told.setVisible(self.width() >= WIDE_ENOUGH)

    def _follow(self, piece: str) -> None:
        view = self._desk.view
        if piece == "playing":
            words = "Pause" if view.playing else "Play"
            self._play.setIcon(icon("pause" if view.playing else "play"))
            self._play.setText(words)
            self._play.setToolTip(f"{words} (Space)")
        if piece in {"along", "layers"}:
            self._along.blockSignals(True)
            self._along.setValue(round(view.along * STEPS))
            self._along.blockSignals(False)
            self._told.setText(f"{view.along * 100:.0f} % of the layer")
        if piece == "pace":
            self._pace.setCurrentIndex(PACES.index(view.pace))
