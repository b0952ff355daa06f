"""Copies of a zone in steps: so many more, each so far on or turned so far, one setting from its value to another."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.stations.part_fields import AXES
from even_step.app.widgets.fields import ChoiceField, NumberField
from even_step.app.widgets.sheet import button, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.job import edits
from even_step.core.job.model import MM_PER
from even_step.core.job.spots import part_of
from even_step.core.job.zones import Zone

NONE = "no setting"


class ZoneSteps(QWidget):
    """How many copies, how far apart, and what changes from one to the next."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._known: tuple[str, Zone] | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        self._count = self._field("copies", "", 3.0, decimals=0)
        self._shift = [self._field(f"step {letter}", "mm", 0.0) for letter in AXES]
        self._turn = self._field("step turn", "°", 0.0)
        self._key = ChoiceField("zone step setting", (NONE,))
        self._key.setAccessibleName("the setting that is stepped")
        self._last = self._field("step to", "", 0.0)
        make = button("Copy in steps", "copy zone", self._make, tip="Each copy one step on from the one before")
        box.addLayout(line(label("more of it"), 1, self._count))
        box.addLayout(line(label("each by"), 1, *self._shift, spacing=4))
        box.addLayout(line(label("turned by"), 1, self._turn))
        box.addLayout(line(self._key, label("up to"), 1, self._last))
        box.addLayout(line(make, 1))

    def _field(self, words: str, unit: str, value: float, decimals: int = 3) -> NumberField:
        field = NumberField(f"zone {words}", unit, decimals=decimals, width=72)
        field.setAccessibleName(f"{words} of the zone")
        field.show_value(value)
        field.chosen.connect(field.show_value)
        return field

    def show_zone(self, part: str, zone: Zone) -> None:
        """Offer the settings of a zone that are numbers."""
        if self._known is None or self._known[1].settings.keys() != zone.settings.keys() or self._known[0] != part:
            self._key.clear()
            self._key.addItems([NONE, *(CATALOGUE[key].label for key in _stepped(zone))])
        self._known = part, zone

    def _make(self) -> None:
        if self._known is None:
            return
        part_id, zone = self._known
        part, count = part_of(self._desk.job, part_id), round(self._count.value)
        model = self._desk.shelf.model(part)
        about = (0.0, 0.0)
        if model is not None:
            corners = model.extremes * MM_PER[part.unit]
            x, y, _ = ((corners.min(axis=0) + corners.max(axis=0)) / 2).tolist()
            about = x, y
        key = ("", *_stepped(zone))[max(0, self._key.currentIndex())]
        steps = edits.ZoneStep(
            (self._shift[0].value, self._shift[1].value, self._shift[2].value), self._turn.value, about
        )
        stepped = (key, self._last.value) if key else None
        words = f"{count} more of zone {zone.title} of {part.name}"
        edit(self._desk, words, lambda job: edits.with_zone_in_steps(job, part_id, zone.id, count, steps, stepped))


def _stepped(zone: Zone) -> list[str]:
    """Return the settings of a zone that are numbers."""
    return [key for key in zone.settings if CATALOGUE[key].type in {"number", "integer"}]
