"""How the parts are laid out: the spacing, whether they may be turned, gather and fill."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from pydantic import ValidationError
from PySide6.QtWidgets import QCheckBox, QVBoxLayout

from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import Group, button, clear, label, line
from even_step.core.errors import JobError
from even_step.core.job.beds import bed_count
from even_step.core.job.model import Job, Layout
from even_step.core.job.shipped import plainly

MOST_SPACING = 200.0
CORNER = 40.0  # mm, the area that is kept free at first
EDGES = ("x from", "y from", "x to", "y to")


def _spacing(value: float) -> None:
    if not 0 <= value <= MOST_SPACING:
        raise JobError(f"{value:g} mm is no spacing", remedy=f"0 to {MOST_SPACING:g} mm")


class LayoutFields(Group):
    """The job's layout; what it says holds for gathering, filling and for parts that come in."""

    def __init__(self, desk: Desk, wants: Callable[[str], None]) -> None:
        super().__init__("Lay out")
        self._desk = desk
        self._spacing = NumberField("spacing", "mm", decimals=1, check=_spacing)
        self._spacing.setAccessibleName("spacing between parts")
        self._spacing.chosen.connect(lambda value: self._change("spacing", spacing=value))
        self._spacing.refused.connect(lambda text: desk.note(text, "stop"))
        self._turning = QCheckBox("quarter turns allowed")
        self._turning.setObjectName("turning")
        self._turning.clicked.connect(lambda on: self._change("turns of parts", turning=on))
        self.add(line("between parts", 1, self._spacing))
        self.add(self._turning)
        gather = button(
            "Gather  G", "gather all", lambda: wants("parts.gather"), tip="Arrange the parts on this bed (G)"
        )
        self._fill = button("Fill the bed", "fill", lambda: wants("parts.fill"), tip="With copies of the part in hand")
        self.add(line(gather, self._fill, 1))
        self._new_bed = button(
            "To a new bed", "new bed", lambda: wants("beds.move_new"), tip="Print what is picked apart from the rest"
        )
        self._next_bed = button(
            "To the next bed", "next bed", lambda: wants("beds.move_next"), tip="Move what is picked"
        )
        self.add(line(self._new_bed, self._next_bed, 1))
        self._areas = QVBoxLayout()
        self.add(self._areas)
        keep = button("Keep a corner free", "keep free", self._keep_free, role="link", tip="No part is laid out there")
        self.add(line(keep, 1))
        self._shown = 0
        self._fields: list[list[NumberField]] = []
        self.refresh()

    def _keep_free(self) -> None:
        x, y, _, _ = self._desk.job.machine.bed.bounds
        areas = (*self._desk.job.layout.keep_out, (x, y, x + CORNER, y + CORNER))
        self._change("free area", keep_out=areas)

    def _free_again(self, number: int) -> None:
        areas = self._desk.job.layout.keep_out
        self._change("free area", keep_out=areas[:number] + areas[number + 1 :])

    def _move_edge(self, number: int, edge: int, value: float) -> None:
        areas = [list(area) for area in self._desk.job.layout.keep_out]
        areas[number][edge] = value
        self._change("free area", keep_out=areas)
        self.refresh()

    def _make_areas(self, count: int) -> None:
        """Make two lines for each area: from and to along x, and along y."""
        clear(self._areas)
        self._fields = []
        for number in range(count):
            fields = []
            for edge, name in enumerate(EDGES):
                field = NumberField(f"kept free {number} {name}", "", decimals=1, width=64)
                field.setAccessibleName(f"kept free area {number + 1}, {name}, mm")
                field.chosen.connect(partial(self._move_edge, number, edge))
                fields.append(field)
            away = button(
                "✕", f"free again {number}", partial(self._free_again, number), role="plain", tip="Free again"
            )
            away.setAccessibleName("free the area again")
            blank = label("")
            blank.setFixedWidth(away.sizeHint().width())
            self._areas.addLayout(line("kept free, x", 1, fields[0], "to", fields[2], away))
            self._areas.addLayout(line("y", 1, fields[1], "to", fields[3], blank))
            self._fields.append(fields)

    def _change(self, what: str, **fields: object) -> None:
        def changed(job: Job) -> Job:
            try:
                layout = Layout.model_validate(dict(job.layout) | fields)
            except ValidationError as error:
                raise JobError(plainly(error), subject="layout") from error
            return job.model_copy(update={"layout": layout})

        edit(self._desk, f"change {what}", changed)

    def refresh(self) -> None:
        """Show the layout of the job."""
        layout = self._desk.job.layout
        self._spacing.show_value(layout.spacing)
        self._turning.setChecked(layout.turning)
        if len(layout.keep_out) != self._shown:
            self._shown = len(layout.keep_out)
            self._make_areas(self._shown)
        for fields, area in zip(self._fields, layout.keep_out, strict=True):
            for field, value in zip(fields, area, strict=True):
                field.show_value(value)
        picked = len(self._desk.selection.spots)
        self._fill.setEnabled(picked > 0)
        self._new_bed.setEnabled(0 < picked < len(self._desk.spots))
        self._next_bed.setVisible(bed_count(self._desk.job) > 1)
        self._next_bed.setEnabled(picked > 0)
