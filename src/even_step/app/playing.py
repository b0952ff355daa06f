"""Plays the print: layer after layer, each in a time that stands to the whole as on the machine."""

from __future__ import annotations

from PySide6.QtCore import QObject, QTimer

from even_step.app.desk import Desk

WHOLE = 30.0  # s that the whole print takes
EVERY = 50  # ms


class Playing(QObject):
    """Moves the view's last layer on while it plays; it stops at the top, or when another station is gone to."""

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self._on)
        desk.view.changed.connect(self._follow)
        desk.trials.shown_changed.connect(self._stop)

    def _follow(self, piece: str) -> None:
        view, trial = self._desk.view, self._desk.trials.shown
        if piece == "station" and view.station != "Layers":
            self._stop()
        if piece == "playing" and view.playing and trial and trial.lines:
            if view.layers[1] >= trial.lines.count - 1:
                view.show_layers(view.layers[0], view.layers[0], trial.lines.count)
            self._timer.start()
        elif piece == "playing":
            self._timer.stop()

    def _stop(self) -> None:
        self._timer.stop()
        self._desk.view.set("playing", False)

    def _on(self) -> None:
        view, trial = self._desk.view, self._desk.trials.shown
        lines = trial.lines if trial else None
        if lines is None:
            self._stop()
            return
        left = EVERY / 1000 / WHOLE * float(lines.layer_time.sum())
        first, last = view.layers
        along = view.along if view.along < 1.0 else 0.0
        last += view.along >= 1.0
        while last < lines.count:
            needed = float(lines.layer_time[last]) * (1.0 - along)
            if needed > left:
                view.show_layers(first, last, lines.count)
                view.set("along", along + left / max(float(lines.layer_time[last]), 1e-9))
                return
            left -= needed
            last, along = last + 1, 0.0
        view.show_layers(first, lines.count - 1, lines.count)
        self._stop()
