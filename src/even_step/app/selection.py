"""What is picked on the bed: copies, and of an assembly perhaps one body."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QObject, Signal

from even_step.app.store import Change, JobStore
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, part_of, spots_of


class Selection(QObject):
    """Some copies, the last picked of them first in hand."""

    changed = Signal()

    def __init__(self, store: JobStore, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._store = store
        self._spots: tuple[Spot, ...] = ()
        self._body: int | None = None
        store.changed.connect(self._drop_what_is_gone)

    @property
    def spots(self) -> tuple[Spot, ...]:
        """The picked copies in the order they were picked."""
        return self._spots

    @property
    def parts(self) -> tuple[str, ...]:
        """The ids of the parts that have a picked copy, in the order they were picked."""
        return tuple(dict.fromkeys(spot.part for spot in self._spots))

    @property
    def in_hand(self) -> Spot | None:
        """The copy whose exact fields are shown."""
        return self._spots[-1] if self._spots else None

    @property
    def body(self) -> int | None:
        """The number of the body that is picked of the part in hand, if one is."""
        return self._body

    def pick_body(self, spots: Iterable[Spot], body: int | None) -> None:
        """Pick copies of one part, and one of its bodies."""
        wanted = tuple(dict.fromkeys(spots))
        if (wanted, body) != (self._spots, self._body):
            self._spots, self._body = wanted, body
            self.changed.emit()

    def pick(self, spots: Iterable[Spot], *, add: bool = False) -> None:
        """Pick copies; added ones that were picked before are let go."""
        wanted = tuple(dict.fromkeys(spots))
        if add:
            kept = tuple(spot for spot in self._spots if spot not in wanted)
            wanted = kept + tuple(spot for spot in wanted if spot not in self._spots)
        if wanted != self._spots or self._body is not None:
            self._spots, self._body = wanted, None
            self.changed.emit()

    def _drop_what_is_gone(self, change: Change) -> None:
        if change.touches("parts"):
            there = set(spots_of(change.new))
            spots = [spot for spot in self._spots if spot in there]
            same = spots == list(self._spots) and _bodies(change.old, spots) == _bodies(change.new, spots)
            self.pick_body(spots, self._body if same else None)


def _bodies(job: Job, spots: list[Spot]) -> list[tuple[int, ...]]:
    """Return which bodies the parts of some copies have."""
    return [part_of(job, spot.part).bodies for spot in spots]
