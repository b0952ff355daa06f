"""Size as the part stands on the bed, by millimetre, percent or factor."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QCheckBox

from even_step.app.desk import Desk
from even_step.app.stations.part_fields import AXES, ToolFields
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import button, line
from even_step.core.errors import InputError
from even_step.core.job import edits
from even_step.core.job.model import MM_PER, Job, Part
from even_step.core.job.spots import Spot, copy_at, part_of
from even_step.core.mesh.turning import turn_matrix
from even_step.core.quantity import quantity

FACTORS = {"half": 0.5, "third": 1 / 3, "quarter": 0.25, "double": 2.0, "twice": 2.0}
STRAIGHT = 0.9999  # of an axis that another lies on


def length_or_factor(text: str, now: float) -> float:
    """Return the length a text asks for: ``30``, ``2 cm``, or a factor of the present one: ``half``, ``1/2``, ``50 %``.

    Raises
    ------
    EvenStepError
        When it is neither.
    """
    word = text.strip().lower()
    if word in FACTORS:
        return now * FACTORS[word]
    over, slash, under = word.partition("/")
    if slash and over.strip().isdigit() and under.strip().isdigit() and int(under) > 0:
        return now * int(over) / int(under)
    if word.endswith("%"):
        return now * quantity(word, "%") / 100.0
    return quantity(text, "mm")


class LengthField(NumberField):
    """A length that takes a factor of itself too."""

    def read(self, text: str) -> float:
        """Return the length a text stands for."""
        return length_or_factor(text, self.value)


def _above_nothing(value: float) -> None:
    if value <= 0:
        raise InputError(f"{value:g} mm is no size", remedy="more than 0, or a factor such as half, 1/2 or 50 %")


class SizeFields(ToolFields):
    """Along the axes of the bed, locked together or apart; the file's own sizes stand beside."""

    tool = "size"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Size", desk)
        self._lengths, self._percents = [], []
        for axis, name in enumerate(AXES):
            length = LengthField(f"length {name}", "mm", decimals=3, check=_above_nothing)
            percent = NumberField(f"percent {name}", "%", decimals=2, step=5.0, check=_above_nothing)
            length.setAccessibleName(f"size along {name}")
            percent.setAccessibleName(f"percent along {name}")
            length.chosen.connect(partial(self._by_length, axis))
            percent.chosen.connect(partial(self._by_percent, axis))
            for field in (length, percent):
                field.refused.connect(lambda text: desk.note(text, "caution"))
            self._lengths.append(length)
            self._percents.append(percent)
            self.add(line(f"along {name}", 1, length, percent))
        self.lock = QCheckBox("all axes together")
        self.lock.setObjectName("lock axes")
        self.lock.setChecked(True)
        back = button("as drawn", "size back", self._as_drawn, tip="Back to 100 %, not mirrored", role="link")
        self.add(line(self.lock, 1, back))

    def _part(self) -> Part:
        return part_of(self.desk.job, self.desk.selection.parts[-1])

    def _drawn(self, part: Part) -> list[float]:
        """Return the sizes in the file, mm."""
        model = self.desk.shelf.model(part)
        return [span * MM_PER[part.unit] for span in model.spans] if model else [0.0] * 3

    def _file_axis(self, axis: int) -> int | None:
        """Return which axis of the file lies along an axis of the bed; none where the part stands askew."""
        spot = self.desk.selection.in_hand
        if spot is None:
            return None
        part, copy = part_of(self.desk.job, spot.part), copy_at(self.desk.job, spot)
        row = np.abs((turn_matrix((0.0, 0.0, copy.turn)) @ turn_matrix(part.turn))[axis])
        return int(np.argmax(row)) if row.max() > STRAIGHT else None

    def _by_length(self, axis: int, value: float) -> None:
        spot = self.desk.selection.in_hand
        stand = self.desk.stand(spot) if spot else None
        if stand is not None and stand.size[axis] > 0:
            self._along(axis, value / float(stand.size[axis]))

    def _by_percent(self, axis: int, value: float) -> None:
        part = self._part()
        own = self._file_axis(axis)
        self._along(axis, value / 100 / part.scale[axis if own is None else own])

    def _along(self, axis: int, factor: float) -> None:
        """Size what is picked by a factor, along one axis of the bed or all together."""
        own = self._file_axis(axis)
        factors = [factor] * 3
        if not self.lock.isChecked():
            if own is None:
                self.desk.note("The part stands askew: along one axis of the bed it cannot be sized alone.", "caution")
                self.refresh()
                return
            factors = [factor if other == own else 1.0 for other in range(3)]
        parts = self.desk.selection.parts
        self.change("size", lambda job: edits.sized_by(job, parts, factors), f"size {parts}")
        self.refresh()

    def _as_drawn(self) -> None:
        parts = self.desk.selection.parts

        def back(job: Job) -> Job:
            for part in parts:
                job = edits.sized(edits.with_part(job, part, mirrored=(False,) * 3), part, (1.0, 1.0, 1.0))
            return job

        self.change("size", back)
        self.refresh()

    def remark(self) -> str:
        """Say whose sizes they are, and what the file's own are."""
        part = self._part()
        others = len(self.desk.selection.parts) - 1
        along = f", {others} more along with it" if others else ""
        drawn = " × ".join(f"{span:g}" for span in np.round(self._drawn(part), 2))
        return f"{part.name} as it stands{along}; in its file {drawn} mm"

    def show_copy(self, spot: Spot) -> None:
        """Show lengths and percents."""
        part, stand = part_of(self.desk.job, spot.part), self.desk.stand(spot)
        for axis in range(3):
            own = self._file_axis(axis)
            self._lengths[axis].show_value(float(stand.size[axis]) if stand else 0.0)
            self._percents[axis].show_value(part.scale[axis if own is None else own] * 100)
