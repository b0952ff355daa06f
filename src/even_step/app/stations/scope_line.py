"""The line over the recipe's settings that says whose they are, and changes it."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QWidget

from even_step.app.desk import Desk
from even_step.app.widgets.sheet import button, line

MOST_LETTERS = 22


class ScopeLine(QWidget):
    """Two buttons: the whole job, and what is picked, or a zone, alone. A part's follows what is picked."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._whole = button("Whole job", "scope job", lambda: desk.whose.choose(()), tip="What holds for all parts")
        self._part = button("", "scope part", self._choose_picked)
        group = QButtonGroup(self)
        for one in (self._whole, self._part):
            one.setCheckable(True)
            group.addButton(one)
        row = line(self._whole, self._part, 1, spacing=0)
        row.setContentsMargins(0, 0, 0, 8)
        self.setLayout(row)
        desk.whose.changed.connect(self.refresh)
        desk.selection.changed.connect(self._follow)
        desk.store.changed.connect(lambda _: self.refresh())
        self.refresh()

    def _choose_picked(self) -> None:
        if not self._desk.whose.zone:
            self._desk.whose.choose(self._desk.selection.parts or self._desk.whose.parts)
        self.refresh()

    def _follow(self) -> None:
        if self._desk.whose.parts and self._desk.selection.parts:
            self._desk.whose.choose(self._desk.selection.parts)
        self.refresh()

    def refresh(self) -> None:
        """Show whose settings are on the sheet, and whose could be."""
        parts = self._desk.whose.parts or self._desk.selection.parts
        names = [part.name for part in self._desk.job.parts if part.id in parts]
        if self._desk.whose.zone:
            names = [f"zone {self._desk.whose.zone_title}"]
        name = names[0] if len(names) == 1 else f"{len(names)} parts" if names else "a picked part"
        short = name if len(name) <= MOST_LETTERS else f"{name[:MOST_LETTERS]}…"
        self._part.setText(f"Only for {short}")
        self._part.setToolTip(f"What {name} has of its own" if names else "Pick parts first, in the view or in Parts")
        self._part.setEnabled(bool(names))
        (self._part if self._desk.whose.parts else self._whole).setChecked(True)
