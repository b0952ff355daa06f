"""The step curve in hand: whose it is, which of its knots, and what a change of it costs, by the last slice."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.selection import Selection
from even_step.app.store import JobStore
from even_step.app.trials import Trial, Trials
from even_step.app.view import View
from even_step.core.job.model import Part
from even_step.core.job.spots import stood
from even_step.core.job.step_curve import Knot

Heights = NDArray[np.float64]


class Curving(QObject):
    """Which part's curve is drawn over the ruler, and the number of the knot in hand, −1 for none."""

    changed = Signal()

    def __init__(
        self, store: JobStore, view: View, selection: Selection, trials: Trials, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._store, self._view, self._selection, self._trials = store, view, selection, trials
        self.opened = False
        self.number = -1
        self._spent: tuple[Trial, str, Heights, Heights] | None = None
        store.changed.connect(lambda _: self.changed.emit())
        view.changed.connect(lambda piece: self.changed.emit() if piece in {"station", "bed"} else None)
        selection.changed.connect(lambda: self.take(-1))

    @property
    def part(self) -> Part | None:
        """The part that is picked, or the only one."""
        parts, picked = self._store.job.parts, self._selection.in_hand
        if picked is not None:
            return next((part for part in parts if part.id == picked.part), None)
        return parts[0] if len(parts) == 1 else None

    @property
    def seen(self) -> bool:
        """Whether the curve is open over the ruler."""
        return self.opened and self._view.station == "Recipe" and self.part is not None

    @property
    def knot(self) -> Knot | None:
        """The knot in hand."""
        part = self.part
        return part.curve[self.number] if part and 0 <= self.number < len(part.curve) else None

    def open(self, *, opened: bool) -> None:
        """Open the curve over the ruler, or close it."""
        self.opened = opened
        self.changed.emit()

    def take(self, number: int) -> None:
        """Take a knot in hand."""
        self.number = number
        self.changed.emit()

    def gained(self, knot: Knot) -> float | None:
        """Return about how many seconds more the layers of a knot take than those that the last slice has there.

        None where no slice of the part is known. Layers take about as long as those did, whatever their height.
        """
        part, trial = self.part, self._trials.shown
        if part is None or trial is None or trial.lines is None:
            return None
        if self._spent is None or self._spent[:2] != (trial, part.id):
            spent = _spent(trial, part.id)
            if spent is None:
                return None
            self._spent = trial, part.id, *spent
        before, took = self._spent[2:]
        some = (before > knot.low) & (before <= knot.high)
        if not some.any():
            return None
        return float(took[some].mean()) * (layers_of(knot, float(before[-1])) - int(some.sum()))


def layers_of(knot: Knot, tall: float) -> int:
    """Return how many layers a knot makes in a part of a height, mm."""
    return max(0, math.ceil((min(knot.high, tall) - knot.low) / knot.height - 1e-6))


def _spent(trial: Trial, part: str) -> tuple[Heights, Heights] | None:
    """Return the tops of layers in which a trial's part was laid, and how long its first copy took in each, s."""
    lines = trial.lines
    number = next((k for k, (spot, _, _) in enumerate(stood(trial.job)) if spot.part == part), -1)
    if lines is None or number < 0:
        return None
    first = lines.path[np.minimum(lines.layer[:-1], len(lines.path) - 1)]
    layer = np.searchsorted(first, np.arange(len(lines.path_end_time)), side="right") - 1
    took = np.diff(lines.path_end_time, prepend=0.0)
    mine = lines.by_part == number
    each = np.bincount(layer[mine], took[mine], len(lines.top)).astype(np.float64)
    return lines.top[each > 0], each[each > 0]
