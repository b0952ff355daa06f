"""A rule laid on the layers: two places and how far they are from each other."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from even_step.app.trials import Trials
from even_step.app.view import View

Place = tuple[float, float, float]


class LayerRule(QObject):
    """In hand or not; ``places`` are none, one, or two that are measured between, mm on the bed."""

    changed = Signal()

    def __init__(self, trials: Trials, view: View, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.in_hand = False
        self.places: tuple[Place, ...] = ()
        trials.shown_changed.connect(self.put_away)
        view.changed.connect(lambda piece: self.put_away() if piece == "station" else None)

    def take(self) -> None:
        """Take it in hand, or put it away."""
        if self.in_hand:
            self.put_away()
        else:
            self.in_hand = True
            self.changed.emit()

    def put(self, place: Place) -> None:
        """Put down an end; a third one begins anew."""
        self.places = (*self.places, place) if len(self.places) == 1 else (place,)
        self.changed.emit()

    def put_away(self) -> bool:
        """Forget what was measured; returns whether it was in hand."""
        had, self.in_hand, self.places = self.in_hand, False, ()
        if had:
            self.changed.emit()
        return had

    @property
    def reading(self) -> str:
        """How far the ends are from each other, and along each axis."""
        if len(self.places) < 2:
            return ""
        x, y, z = (b - a for a, b in zip(*self.places, strict=True))
        return f"{(x * x + y * y + z * z) ** 0.5:.2f} mm  ({x:+.2f}, {y:+.2f}, {z:+.2f})"
