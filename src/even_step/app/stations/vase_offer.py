"""What goes with vase mode: each value with its reason, taken together in one step."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting, Value
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.vase_offer import Offer, goes_with_vase


class VaseOffer(QWidget):
    """Shown where whoever's settings are shown is a vase and something goes better with one."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("vase offer")
        self._desk = desk
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(8, 2, 2, 8)
        self._box.setSpacing(2)
        self._shown: tuple[Offer, ...] | None = None

    def refresh(self) -> None:
        """Show what is offered now."""
        whose = self._desk.whose
        values = whose.resolved.values
        is_asked = bool(values["vase.on"]) and not whose.zone and not whose.complaints
        offered = goes_with_vase(self._desk.job, values) if is_asked else ()
        self.setVisible(bool(offered))
        if offered == self._shown:
            return
        self._shown = offered
        clear(self._box)
        if offered:
            self._box.addWidget(label("Goes with a vase", "mark"))
        for one in offered:
            setting = CATALOGUE[one.key]
            row = line(label(setting.label), 1, label(_said(setting, one.value), "head"))
            self._box.addLayout(row)
            self._box.addWidget(label(one.reason, "mark", wrap=True))
        if offered:
            self._box.addLayout(line(button("Take these", "take vase offer", self._take), 1))

    def _take(self) -> None:
        offered, whose = self._shown or (), self._desk.whose

        def taken(job: Job) -> Job:
            for one in offered:
                own = whose.has(CATALOGUE[one.key])
                job = whose.set(one.key, one.value)(job) if own else edits.with_setting(job, one.key, one.value)
            return job

        edit(self._desk, "what goes with a vase", taken)


def _said(setting: Setting, value: Value) -> str:
    return f"{value:g} {setting.unit}".strip() if isinstance(value, float | int) else str(value)
