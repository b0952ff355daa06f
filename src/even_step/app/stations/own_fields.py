"""What a part has of its own: listed with the part, changed on the recipe's sheet."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QVBoxLayout

from even_step.app.acts.own import open_own
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.stations.part_fields import ToolFields
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.job import edits
from even_step.core.job.differences import value_text
from even_step.core.job.spots import Spot, part_of

MOST_LINES = 8


class OwnFields(ToolFields):
    """The settings of the part in hand that hold only for it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Only for this part", desk)
        self._lines = QVBoxLayout()
        self._lines.setSpacing(2)
        self.add(self._lines)
        change = button("Settings of its own…", "own settings", partial(open_own, desk), tip="On the recipe (Shift+S)")
        self.add(line(change, 1))
        self._shown: object = None

    def remark(self) -> str:
        """Say that it holds for all copies."""
        part = part_of(self.desk.job, self.desk.selection.parts[-1])
        return f"{part.name}, all {len(part.copies)} copies" if len(part.copies) > 1 else part.name

    def show_copy(self, spot: Spot) -> None:
        """List what it has of its own, each with the way back."""
        part = part_of(self.desk.job, spot.part)
        if (part.id, part.settings) == self._shown:
            return
        self._shown = part.id, part.settings
        clear(self._lines)
        for key, value in list(part.settings.items())[:MOST_LINES]:
            setting = CATALOGUE[key]
            back = button("back", f"own back {key}", partial(self._take_back, spot.part, key), role="link")
            back.setToolTip(f"As the whole job's: {setting.label}")
            self._lines.addLayout(line(setting.label, 1, label(value_text(setting, value)), back))
        more = len(part.settings) - MOST_LINES
        if more > 0:
            self._lines.addWidget(label(f"and {more} more", "mark"))

    def _take_back(self, part: str, key: str) -> None:
        words = f"{CATALOGUE[key].label.lower()} back for {part_of(self.desk.job, part).name}"
        edit(self.desk, words, lambda job: edits.without_settings_of_parts(job, [part], [key]))
