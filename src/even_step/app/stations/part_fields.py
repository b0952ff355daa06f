"""The exact fields of the tool in hand: move, turn, size, copies."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QCheckBox

from even_step.app.acts.parts import lay, set_copies, turn
from even_step.app.acts.placing import about, edit
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import Group, button, line
from even_step.core.job import edits
from even_step.core.job.model import MM_PER, Job, Part

AXES = "XYZ"


class ToolFields(Group):
    """Fields bound to the copy in hand; hidden when nothing is picked."""

    tool = ""

    def __init__(self, title: str, desk: Desk) -> None:
        super().__init__(title)
        self.desk = desk

    def change(self, verb: str, make: Callable[[Job], Job], join: str = "") -> None:
        """Do an edit to what is picked."""
        if self.desk.selection.in_hand is not None:
            edit(self.desk, f"{verb} {about(self.desk)}", make, join)

    def refresh(self) -> None:
        """Show the figures of the copy in hand."""
        if self.desk.selection.in_hand is not None:
            self.note.setText(self.remark())
            self.show_copy(self.desk.selection.in_hand)

    def remark(self) -> str:
        """Say whom the fields are about."""
        return about(self.desk)

    def show_copy(self, spot: edits.Spot) -> None:
        """Show the figures of a copy."""

    def focus_first(self) -> None:
        """Put the keyboard into the first field."""
        field = self.findChild(NumberField)
        if isinstance(field, NumberField):
            field.setFocus()


class MoveFields(ToolFields):
    """Where the middle of the copy in hand is; others that are picked move along."""

    tool = "move"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Move", desk)
        self._fields = []
        for axis, name in enumerate("XY"):
            field = NumberField(f"place {name}", "mm", decimals=3)
            field.setAccessibleName(f"middle, {name}")
            field.chosen.connect(partial(self._move, axis))
            self._fields.append(field)
            self.add(line(f"middle, {name}", 1, field))

    def _move(self, axis: int, value: float) -> None:
        spot = self.desk.selection.in_hand
        at = spot and edits.copy_at(self.desk.job, spot).at
        if at is not None:
            by = (value - at[0], 0.0) if axis == 0 else (0.0, value - at[1])
            self.change("move", lambda job: edits.moved(job, self.desk.selection.spots, by), f"place {axis}")

    def show_copy(self, spot: edits.Spot) -> None:
        """Show the place."""
        for field, value in zip(self._fields, edits.copy_at(self.desk.job, spot).at or (0.0, 0.0), strict=True):
            field.show_value(value)


class TurnFields(ToolFields):
    """Quarter turns and angles; about X and Y a part turns with all its copies."""

    tool = "turn"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Turn", desk)
        self._fields = []
        for axis, name in enumerate(AXES):
            field = NumberField(f"angle {name}", "°", decimals=1, step=15.0)
            field.setAccessibleName(f"angle about {name}")
            field.chosen.connect(partial(self._set, axis))
            self._fields.append(field)
            less = button("−90", f"less {name}", partial(turn, desk, axis, -90.0), tip=f"Turn about {name} by −90°")
            more = button("+90", f"more {name}", partial(turn, desk, axis, 90.0), tip=f"Turn about {name} by +90°")
            self.add(line(f"about {name}", 1, less, more, field))
        down = button("Face down  D", "face down", self._face, tip="Then click a face on the bed (D)")
        flat = button("Lie flat", "lie flat", partial(lay, desk), tip="On the largest flat side")
        end = button("On end", "on end", partial(lay, desk, on_end=True), tip="On the flat side on which it is tallest")
        self.add(line(down, flat, end, 1))

    def _face(self) -> None:
        self.desk.view.set("tool", "face")

    def _set(self, axis: int, value: float) -> None:
        spots = self.desk.selection.spots
        self.change("turn", lambda job: edits.turned_to(job, spots, axis, value), f"angle {axis}")

    def remark(self) -> str:
        """Say that all copies turn."""
        part = self.desk.job.parts[self.desk.selection.parts[-1]]
        return f"{part.name}, with all {len(part.copies)} copies" if len(part.copies) > 1 else part.name

    def show_copy(self, spot: edits.Spot) -> None:
        """Show the angles."""
        part = self.desk.job.parts[spot[0]]
        for field, value in zip(self._fields, (*part.turn[:2], edits.copy_at(self.desk.job, spot).turn), strict=True):
            field.show_value(value)


class SizeFields(ToolFields):
    """Size by millimetre or percent along the axes of the part's file, locked together or apart."""

    tool = "size"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Size", desk)
        self._lengths, self._percents = [], []
        for axis, name in enumerate(AXES):
            length = NumberField(f"length {name}", "mm", decimals=3)
            percent = NumberField(f"percent {name}", "%", decimals=2, step=5.0)
            length.setAccessibleName(f"size along {name}")
            percent.setAccessibleName(f"percent along {name}")
            length.chosen.connect(partial(self._by_length, axis))
            percent.chosen.connect(partial(self._by_percent, axis))
            self._lengths.append(length)
            self._percents.append(percent)
            self.add(line(f"along {name}", 1, length, percent))
        self.lock = QCheckBox("all axes together")
        self.lock.setObjectName("lock axes")
        self.lock.setChecked(True)
        back = button("as drawn", "size back", self._as_drawn, tip="Back to 100 %, not mirrored", role="link")
        self.add(line(self.lock, 1, back))

    def _part(self) -> tuple[int, Part]:
        number = self.desk.selection.parts[-1]
        return number, self.desk.job.parts[number]

    def _file_lengths(self, part: Part) -> list[float]:
        model = self.desk.shelf.model(part)
        if model is None:
            return [0.0] * 3
        return [span * MM_PER[part.unit] for span in model.spans]

    def _by_length(self, axis: int, value: float) -> None:
        _, part = self._part()
        own = self._file_lengths(part)[axis]
        if own > 0:
            self._along(axis, value / own)

    def _by_percent(self, axis: int, value: float) -> None:
        self._along(axis, value / 100)

    def _along(self, axis: int, factor: float) -> None:
        _, part = self._part()
        scale = list(part.scale)
        if self.lock.isChecked():
            scale = [value * factor / part.scale[axis] for value in scale]
        else:
            scale[axis] = factor
        self._scale((scale[0], scale[1], scale[2]))

    def _as_drawn(self) -> None:
        numbers = self.desk.selection.parts

        def back(job: Job) -> Job:
            for number in numbers:
                job = edits.sized(edits.with_part(job, number, mirrored=(False,) * 3), number, (1.0, 1.0, 1.0))
            return job

        self.change("size", back)
        self.refresh()

    def _scale(self, scale: tuple[float, float, float]) -> None:
        """Size the part in hand; others that are picked grow and shrink along."""
        _, part = self._part()
        factors = [new / old for new, old in zip(scale, part.scale, strict=True)]
        numbers = self.desk.selection.parts
        self.change("size", lambda job: edits.sized_by(job, numbers, factors), f"size {numbers}")
        self.refresh()

    def remark(self) -> str:
        """Say that all copies are sized, along the axes as drawn."""
        _, part = self._part()
        others = len(self.desk.selection.parts) - 1
        along = f", {others} more along with it" if others else ""
        return f"{part.name}, as drawn in its file{along}"

    def show_copy(self, spot: edits.Spot) -> None:
        """Show lengths and percents."""
        part = self.desk.job.parts[spot[0]]
        for axis, own in enumerate(self._file_lengths(part)):
            self._lengths[axis].show_value(own * part.scale[axis])
            self._percents[axis].show_value(part.scale[axis] * 100)


class CopyFields(ToolFields):
    """How many of the part."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Copies", desk)
        self._count = NumberField("copies", "", decimals=0)
        self._count.setAccessibleName("copies")
        self._count.chosen.connect(lambda value: set_copies(desk, desk.selection.parts[-1], round(value)))
        self.add(line("how many in all", 1, self._count))

    def show_copy(self, spot: edits.Spot) -> None:
        """Show the count."""
        self._count.show_value(len(self.desk.job.parts[spot[0]].copies))
