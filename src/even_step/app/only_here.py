"""What only the trial shown has, against another one: found beside the window when lines are coloured by it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.background import Background
from even_step.app.trials import Trial, TrialLines, Trials
from even_step.app.view import View
from even_step.core.trials.only_here import only_here


class OnlyHere(QObject):
    """Two trials; whichever of them is shown is held against the other. Without a choice, against the one before."""

    changed = Signal()

    def __init__(self, trials: Trials, view: View, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._trials, self._view, self._background = trials, view, background
        self._pair: tuple[Trial, ...] = ()
        self._known: tuple[TrialLines, TrialLines] | None = None
        self._marks: NDArray[np.float32] | None = None
        trials.shown_changed.connect(self._look)
        trials.changed.connect(self._look)
        view.changed.connect(lambda piece: self._look() if piece == "colour_by" else None)

    def hold(self, one: Trial, other: Trial) -> None:
        """Hold two trials against each other, and colour the lines by what only the one shown has."""
        self._pair = one, other
        self._view.set("colour_by", "only")
        self._look()

    @property
    def against(self) -> Trial | None:
        """The trial that the one shown is held against, none where there is no other of its bed."""
        shown = self._trials.shown
        if shown is None:
            return None
        if shown in self._pair:
            other = next((one for one in self._pair if one is not shown), None)
            return other if other in self._trials.all else None
        own = [one for one in self._trials.all if one.bed == shown.bed and one is not shown]
        before = [one for one in own if one.turn < shown.turn]
        return max(before or own, key=lambda one: one.turn, default=None)

    @property
    def marks(self) -> NDArray[np.float32] | None:
        """For each path of the trial shown 1 where only it has it, else 0; none while that is not known."""
        return self._marks if self._now() is not None and self._now() == self._known else None

    def _now(self) -> tuple[TrialLines, TrialLines] | None:
        shown, other = self._trials.shown, self.against
        if shown is None or other is None or shown.lines is None or other.lines is None:
            return None
        return shown.lines, other.lines

    def _look(self) -> None:
        now = self._now()
        if self._view.colour_by != "only" or now is None or now == self._known:
            return
        mine, theirs = now

        def find() -> NDArray[np.float32]:
            return only_here(mine.points, mine.path, theirs.points, len(mine.by_part))

        def found(marks: NDArray[np.float32]) -> None:
            self._known, self._marks = now, marks
            self.changed.emit()

        self._background.run("only here", find, found)
