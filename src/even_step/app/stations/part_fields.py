"""The exact fields of the tool in hand: move, turn, size, copies."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from even_step.app.acts.parts import lay, set_copies, turn
from even_step.app.acts.placing import about, edit
from even_step.app.desk import Desk
from even_step.app.widgets.fields import NumberField
from even_step.app.widgets.sheet import Group, button, line
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, copy_at, part_of

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

    def show_copy(self, spot: Spot) -> None:
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
        at = spot and copy_at(self.desk.job, spot).at
        if at is not None:
            by = (value - at[0], 0.0) if axis == 0 else (0.0, value - at[1])
            self.change("move", lambda job: edits.moved(job, self.desk.selection.spots, by), f"place {axis}")

    def show_copy(self, spot: Spot) -> None:
        """Show the place."""
        for field, value in zip(self._fields, copy_at(self.desk.job, spot).at or (0.0, 0.0), strict=True):
            field.show_value(value)


class TurnFields(ToolFields):
    """Quarter turns and angles; about X and Y a part turns with all its copies."""

    tool = "turn"

    def __init__(self, desk: Desk) -> None:
        super().__init__("Turn", desk)
        self._fields = []
        for axis, name in enumerate(AXES):
            field = NumberField(f"angle {name}", "°", decimals=1, step=15.0)
            field.setAccessibleName(f"turn about {name} by")
            field.chosen.connect(partial(self._by, axis))
            self._fields.append(field)
            less = button("−90", f"less {name}", partial(turn, desk, axis, -90.0), tip=f"Turn about {name} by −90°")
            more = button("+90", f"more {name}", partial(turn, desk, axis, 90.0), tip=f"Turn about {name} by +90°")
            self.add(line(f"about {name} by", 1, less, more, field))
        down = button("Face down  D", "face down", self._face, tip="Then click a face on the bed (D)")
        flat = button("Lie flat", "lie flat", partial(lay, desk), tip="On the largest flat side")
        end = button("On end", "on end", partial(lay, desk, on_end=True), tip="On the flat side on which it is tallest")
        self.add(line(down, flat, end, 1))

    def _face(self) -> None:
        self.desk.view.set("tool", "face")

    def _by(self, axis: int, value: float) -> None:
        """Turn about an axis of the bed by what was typed, as the buttons beside it do."""
        turn(self.desk, axis, value)
        self._fields[axis].show_value(0.0)

    def remark(self) -> str:
        """Say that all copies turn."""
        part = part_of(self.desk.job, self.desk.selection.parts[-1])
        return f"{part.name}, with all {len(part.copies)} copies" if len(part.copies) > 1 else part.name

    def show_copy(self, _: Spot) -> None:
        """Begin at no turn: each is from how the part stands."""
        for field in self._fields:
            field.show_value(0.0)


class CopyFields(ToolFields):
    """How many of the part."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Copies", desk)
        self._count = NumberField("copies", "", decimals=0)
        self._count.setAccessibleName("copies")
        self._count.chosen.connect(lambda value: set_copies(desk, desk.selection.parts[-1], round(value)))
        self.add(line("how many in all", 1, self._count))

    def show_copy(self, spot: Spot) -> None:
        """Show the count."""
        self._count.show_value(len(part_of(self.desk.job, spot.part).copies))
