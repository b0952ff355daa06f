"""The list of parts: each with its copies, its size, its marks, its bodies; a unit proposal in place."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.shelf import Stand
from even_step.app.stations.rows import BodyRow, PartRow
from even_step.app.widgets.fields import ChoiceField
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.job import edits
from even_step.core.job.model import MM_PER, Part
from even_step.core.job.spots import part_of
from even_step.core.wording import size

UNIT_WORDS = {"inch": "inches", "cm": "centimetres", "m": "metres"}
ORDERS = ("as brought in", "by name", "tallest first", "largest first")
WORTH_SORTING = 3  # parts from which on the order is offered


class PartRows(QWidget):
    """All parts in the order that is wished for."""

    def __init__(self, desk: Desk, marks: Callable[[str], tuple[str, str]]) -> None:
        super().__init__()
        self._desk, self._marks = desk, marks
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(2)
        self._order = ChoiceField("sorted", ORDERS)
        self._order.setAccessibleName("order of the list")
        self._order.activated.connect(lambda _: self.refresh())
        self._sorting = QWidget()
        row = line(label("sorted", "mark"), self._order, 1)
        self._sorting.setLayout(row)
        outer.addWidget(self._sorting)
        self._box = QVBoxLayout()
        self._box.setSpacing(1)
        outer.addLayout(self._box)
        self.rows: list[PartRow] = []
        self.bodies: list[BodyRow] = []
        self._shape: object = None

    def _in_order(self) -> list[Part]:
        """Return the parts on the bed in view in the order wished for; equal ones stay as brought in."""
        here = {spot.part for spot in self._desk.spots}
        parts = [part for part in self._desk.job.parts if part.id in here]

        def size_of(part: Part) -> NDArray[np.float64]:
            stand = self._stand(part.id)
            return np.zeros(3) if stand is None else stand.size

        match ORDERS[self._order.currentIndex()]:
            case "by name":
                return sorted(parts, key=lambda part: part.name.casefold())
            case "tallest first":
                return sorted(parts, key=lambda part: -size_of(part)[2])
            case "largest first":
                return sorted(parts, key=lambda part: -size_of(part)[0] * size_of(part)[1])
            case _:
                return parts

    def refresh(self) -> None:
        """Show the parts as they are now; rows are made anew only when there are others."""
        job, shelf = self._desk.job, self._desk.shelf
        self._sorting.setVisible(len(job.parts) >= WORTH_SORTING)
        shape = []
        for part in self._in_order():
            model = shelf.model(part)
            bodies = model.numbers if model and len(model.numbers) > 1 else ()
            unit = model.proposed if model and part.unit == "mm" else None
            shape.append((part.id, bodies, unit))
        if shape != self._shape:
            self._shape = shape
            self._make(shape)
        for row in self.rows:
            stand = self._stand(row.part)
            lost = "not in its file" if shelf.misses(part_of(job, row.part)) else "reading…"
            lengths = size(tuple(float(v) for v in stand.size)) if stand else lost
            row.show_facts(lengths, *self._marks(row.part))
        for one in self.bodies:
            self._show_body(one)

    def rename(self, part: str) -> None:
        """Let another name be typed for a part."""
        for row in self.rows:
            if row.part == part:
                row.rename()

    def _stand(self, part: str) -> Stand | None:
        """Return how the first copy of a part on the bed in view stands."""
        return next((self._desk.stand(spot) for spot in self._desk.spots if spot.part == part), None)

    def _show_body(self, row: BodyRow) -> None:
        stand = self._stand(row.part)
        model = self._desk.shelf.model(part_of(self._desk.job, row.part))
        if stand is None or model is None or row.body not in model.numbers:
            return
        body = model.bodies[model.numbers.index(row.body)]
        spans = np.ptp(body.extremes @ stand.matrix[:3, :3].T, axis=0)
        row.show_facts(body.name, size(tuple(float(v) for v in spans)))

    def _make(self, shape: list[tuple[str, tuple[int, ...], str | None]]) -> None:
        clear(self._box)
        self.rows, self.bodies = [], []
        for part, bodies, unit in shape:
            row = PartRow(part, self._desk)
            self.rows.append(row)
            self._box.addWidget(row)
            if unit:
                self._add_proposal(part, unit)
            for body in bodies:
                self.bodies.append(BodyRow(part, body, self._desk))
                self._box.addWidget(self.bodies[-1])

    def _add_proposal(self, name: str, unit: str) -> None:
        """Offer another unit in place, with both sizes; nothing changes unasked."""
        part = part_of(self._desk.job, name)
        stand = self._stand(name)
        if stand is None:
            return
        larger = size(tuple(float(v) * MM_PER[unit] for v in stand.size))
        accept = button(
            f"drawn in {UNIT_WORDS[unit]}?",
            f"unit {name}",
            lambda: edit(self._desk, f"{part.name} in {unit}", lambda job: edits.in_unit(job, name, unit)),  # type: ignore[arg-type]
            tip=f"Read {part.name} in {UNIT_WORDS[unit]}: {larger} mm",
        )
        row = line(accept, 1)
        row.setContentsMargins(20, 0, 6, 0)
        self._box.addLayout(row)
        told = line(label(f"then {larger} mm", "mark"))
        told.setContentsMargins(20, 0, 6, 4)
        self._box.addLayout(told)
