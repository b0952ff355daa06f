"""Plays the print as the machine prints it, as fast or many times faster: line after line, each in its own time."""

from __future__ import annotations

from time import monotonic

import numpy as np
from PySide6.QtCore import QObject, QTimer

from even_step.app.desk import Desk
from even_step.app.trials import TrialLines

WHOLE = 30.0  # s that the whole print takes where no pace is chosen
EVERY = 50  # ms
LONGEST = 0.5  # s that pass at once where the window was held up
#: Times as fast as it prints; 0 is the whole in half a minute.
PACES = 0.0, 1.0, 10.0, 100.0


def moment_of(lines: TrialLines, layer: int, along: float) -> float:
    """Return the printing time at which a layer is laid so far along its points, s."""
    begun, ended = _span(lines, layer)
    if lines.layer[layer] == lines.layer[layer + 1]:
        return begun
    path, share = _path_at(lines, layer, along)
    before = float(lines.path_end_time[path - 1]) if path else 0.0
    at = before + share * (float(lines.path_end_time[path]) - before)
    return begun + (at - _paths_begin(lines, layer)) * _stretch(lines, layer, ended - begun)


def place_at(lines: TrialLines, moment: float) -> tuple[int, float]:
    """Return the layer that is laid at a printing time, and how far along its points, 0 to 1."""
    ends = np.cumsum(lines.layer_time)
    layer = min(int(np.searchsorted(ends, moment)), lines.count - 1)
    if moment >= ends[layer] or lines.layer[layer] == lines.layer[layer + 1]:
        return layer, 1.0
    begun, ended = _span(lines, layer)
    at = _paths_begin(lines, layer) + (moment - begun) / max(_stretch(lines, layer, ended - begun), 1e-9)
    first, last = _paths(lines, layer)
    path = min(max(int(np.searchsorted(lines.path_end_time, at)), first), max(last - 1, first))
    before = float(lines.path_end_time[path - 1]) if path else 0.0
    share = (at - before) / max(float(lines.path_end_time[path]) - before, 1e-9)
    start, end = (int(one) for one in np.searchsorted(lines.path, (path, path + 1)))
    a, b = int(lines.layer[layer]), int(lines.layer[layer + 1])
    return layer, float(np.clip((start + share * (end - start) - a) / max(b - a, 1), 0.0, 1.0))


def _span(lines: TrialLines, layer: int) -> tuple[float, float]:
    """Return when a layer begins and ends, s."""
    ended = float(lines.layer_time[: layer + 1].sum())
    return ended - float(lines.layer_time[layer]), ended


def _paths(lines: TrialLines, layer: int) -> tuple[int, int]:
    """Return the first path of a layer and the one after its last."""
    a, b = int(lines.layer[layer]), int(lines.layer[layer + 1])
    return (int(lines.path[a]), int(lines.path[b - 1]) + 1) if b > a else (0, 0)


def _paths_begin(lines: TrialLines, layer: int) -> float:
    first, _ = _paths(lines, layer)
    return float(lines.path_end_time[first - 1]) if first else 0.0


def _stretch(lines: TrialLines, layer: int, took: float) -> float:
    """Return how much longer a layer takes than its paths: changes of extruder and the like stand between them."""
    _, last = _paths(lines, layer)
    own = float(lines.path_end_time[last - 1]) - _paths_begin(lines, layer) if last else 0.0
    return took / own if own > 0 else 1.0


def _path_at(lines: TrialLines, layer: int, along: float) -> tuple[int, float]:
    """Return the path that a layer has come to, and how far along its points."""
    a, b = int(lines.layer[layer]), int(lines.layer[layer + 1])
    at = a + along * (b - a)
    path = int(lines.path[min(int(at), b - 1)])
    start, end = np.searchsorted(lines.path, (path, path + 1))
    return path, float((at - start) / max(end - start, 1))


class Playing(QObject):
    """Moves the view on while it plays; it stops at the top, or when another station is gone to."""

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._moment = 0.0  # s of printing that are shown
        self._told = 0.0  # s, when that was by the clock
        self._shown: tuple[int, float] | None = None
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self._on)
        desk.view.changed.connect(self._follow)
        desk.trials.shown_changed.connect(self._stop)

    def _follow(self, piece: str) -> None:
        view, trial = self._desk.view, self._desk.trials.shown
        if piece == "station" and view.station != "Layers":
            self._stop()
        if piece == "playing" and view.playing and trial and trial.lines and trial.lines.count:
            if view.layers[1] >= trial.lines.count - 1 and view.along >= 1.0:
                view.show_layers(view.layers[0], view.layers[0], trial.lines.count)
            self._shown, self._told = None, monotonic()
            self._timer.start()
        elif piece == "playing":
            self._stop()

    def _stop(self) -> None:
        self._timer.stop()
        self._desk.view.set("playing", False)

    def _on(self) -> None:
        view, trial = self._desk.view, self._desk.trials.shown
        lines = trial.lines if trial else None
        if lines is None:
            self._stop()
            return
        whole = float(lines.layer_time.sum())
        if self._shown != (view.layers[1], view.along):  # gone to elsewhere by hand
            self._moment = moment_of(lines, min(view.layers[1], lines.count - 1), view.along)
        passed, self._told = min(monotonic() - self._told, LONGEST), monotonic()
        self._moment += passed * (view.pace or whole / WHOLE)
        layer, along = place_at(lines, self._moment)
        if self._moment >= whole:
            view.show_layers(view.layers[0], lines.count - 1, lines.count)
            self._stop()
            return
        if layer != view.layers[1]:
            view.show_layers(view.layers[0], layer, lines.count)
        view.set("along", along)
        self._shown = view.layers[1], view.along
