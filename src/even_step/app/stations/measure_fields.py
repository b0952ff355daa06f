"""What was measured, and what a measured length is to be."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QGridLayout

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import Group, label, line
from even_step.core.errors import JobError
from even_step.core.job import edits
from even_step.core.job.spots import part_of

HINT = "Click a point on a part, then another. Near a corner the corner is taken."
NAMES = ("distance", "along X", "along Y", "along Z", "between the faces", "thickness")


def _above_nothing(value: float) -> None:
    if value <= 0:
        raise JobError(f"{value:g} mm is no length", remedy="more than 0")


class MeasureFields(Group):
    """The figures of the points that were clicked; a typed length sizes the part."""

    tool = "measure"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Measure")
        self._desk = desk
        self._hint = label(HINT, "mark", wrap=True)
        self.add(self._hint)
        table = QGridLayout()
        self.values = {}
        for row, name in enumerate(NAMES):
            value = label("…")
            value.setObjectName(f"measured {name}")
            self.values[name] = value
            table.addWidget(label(name, "faint"), row, 0)
            table.addLayout(line(1, value), row, 1)
        self.add(table)
        self._wanted = NumberField("wanted length", "mm", decimals=3, check=_above_nothing)
        self._wanted.setAccessibleName("what the distance is to be")
        self._wanted.chosen.connect(self._size)
        self._wanted.refused.connect(lambda text: desk.note(text, "stop"))
        self.add(line("the distance is to be", 1, self._wanted))
        desk.measuring.changed.connect(self.refresh)

    def focus_first(self) -> None:
        """Put the keyboard into the field."""
        if self._wanted.isEnabled():
            self._wanted.setFocus()

    def refresh(self) -> None:
        """Show the figures."""
        measuring = self._desk.measuring
        found = measuring.reading()
        told = dict.fromkeys(NAMES, "…")
        if found:
            told |= {name: f"{length:.3f} mm" for name, length in zip(NAMES[1:4], found.along, strict=True)}
            told["distance"], told["between the faces"] = f"{found.distance:.3f} mm", f"{found.angle:.1f}°"
        if measuring.points:
            thick = measuring.thickness()
            told["thickness"] = "…" if np.isnan(thick) else f"{thick:.3f} mm" if thick > 0 else "open behind"
        for name, text in told.items():
            self.values[name].setText(text)
        one_part = len({point.spot for point in measuring.points}) == 1
        self._wanted.setEnabled(found is not None and found.distance > 0 and one_part)
        self._wanted.show_value(found.distance if found else 0.0)

    def _size(self, value: float) -> None:
        """Size the part, all axes together, so that the distance becomes what was typed."""
        found, points = self._desk.measuring.reading(), self._desk.measuring.points
        if found is None or found.distance <= 0:
            return
        part, factor = part_of(self._desk.job, points[0].spot.part), value / found.distance
        edit(self._desk, f"size {part.name} by a length", lambda job: edits.sized_by(job, (part.id,), (factor,) * 3))
