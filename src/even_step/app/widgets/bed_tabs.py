"""The beds of the job as tabs above the canvas; there is nothing to see while one bed is enough."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from even_step.app.desk import Desk
from even_step.app.widgets.marks import mark_icon
from even_step.app.widgets.sheet import button, clear
from even_step.core.job.beds import bed_count, spots_on
from even_step.core.job.room import lack_of_room
from even_step.core.job.spots import stood

HEIGHT = 30


class BedTabs(QWidget):
    """One tab a bed, with how many parts stand on it."""

    shown_changed = Signal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self._desk = desk
        self.setFixedHeight(HEIGHT)
        self._group = QButtonGroup(self)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 2, 12, 2)
        self._row.setSpacing(4)
        self.tabs: list[QPushButton] = []
        self._counts: tuple[int, ...] = ()
        desk.store.changed.connect(self.refresh)
        desk.shelf.arrived.connect(self.refresh)
        desk.view.changed.connect(lambda piece: self.refresh() if piece == "bed" else None)
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Show the beds there are."""
        job = self._desk.job
        counts = tuple(len(spots_on(job, bed)) for bed in range(bed_count(job)))
        if counts != self._counts:
            self._counts = counts
            self._make()
        for bed, tab in enumerate(self.tabs):
            tab.setChecked(bed == self._desk.view.bed)
            if len(counts) > 1:
                self._mark(bed, tab)
        if self.isHidden() != (len(counts) < 2):
            self.setVisible(len(counts) > 1)
            self.shown_changed.emit()

    def _mark(self, bed: int, tab: QPushButton) -> None:
        """Mark a bed on which a part leaves the volume; what touches shows once the bed is in view."""
        job = self._desk.job
        shelf = self._desk.shelf
        stands = [(copy.at, shelf.stand_of(part, copy)) for _, part, copy in stood(job) if copy.bed == bed]
        wrong = any(at and stand and lack_of_room(job.machine, at, stand.size) for at, stand in stands)
        tab.setIcon(mark_icon("stop") if wrong else QIcon())
        tab.setAccessibleName(f"{tab.text()}, a part is outside" if wrong else tab.text())

    def _make(self) -> None:
        clear(self._row)
        self.tabs = []
        for bed, count in enumerate(self._counts):
            tab = button(
                f"Bed {bed + 1} · {count}",
                f"bed {bed}",
                lambda bed=bed: self._desk.view.set("bed", bed),  # type: ignore[misc]
                tip=f"Bed {bed + 1}: {count} {'part' if count == 1 else 'parts'} (Ctrl+PgUp, Ctrl+PgDown)",
            )
            tab.setCheckable(True)
            self._group.addButton(tab)
            self._row.addWidget(tab)
            self.tabs.append(tab)
        self._row.addStretch(1)
