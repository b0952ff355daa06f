"""Which zone is open: its figures stand on the sheet and its handles on the canvas."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from even_step.app.store import JobStore
from even_step.core.job.spots import has_part, part_of
from even_step.core.job.zones import Zone


class Zoning(QObject):
    """One zone of one part, or none."""

    changed = Signal()

    def __init__(self, store: JobStore, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._store = store
        self._part, self._zone = "", ""
        store.changed.connect(lambda _: self._follow())

    @property
    def open(self) -> tuple[str, Zone] | None:
        """The id of its part, and the zone as it is now."""
        if not self._zone or not has_part(self._store.job, self._part):
            return None
        zones = part_of(self._store.job, self._part).zones
        return next(((self._part, zone) for zone in zones if zone.id == self._zone), None)

    def show(self, part: str, zone: str) -> None:
        """Open a zone."""
        if (part, zone) != (self._part, self._zone):
            self._part, self._zone = part, zone
            self.changed.emit()

    def close(self) -> None:
        """Let go of it."""
        self.show("", "")

    def _follow(self) -> None:
        if self._zone and self.open is None:
            self.close()
