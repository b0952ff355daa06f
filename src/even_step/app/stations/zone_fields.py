"""The zones of the part in hand: a list, what each changes, and exact figures of the one that is open."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.acts.zones import add_zone, open_settings
from even_step.app.desk import Desk
from even_step.app.stations.part_fields import AXES, ToolFields
from even_step.app.widgets.fields import ChoiceField, NumberField
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.errors import JobError
from even_step.core.job import edits
from even_step.core.job.differences import value_text
from even_step.core.job.model import Job
from even_step.core.job.spots import Spot, part_of
from even_step.core.job.zones import LEAST_SIZE, MOST_SIZE, Zone

SNAPS = {
    "none": "as it stands",
    "layers": "to whole layers",
    "first": "from the first layer up",
    "last": "from the last layer down",
}
FIELDS = (("middle", "mm"), ("size", "mm"), ("turn", "°"))


class ZoneFields(ToolFields):
    """The zones of the part in hand."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Zones", desk)
        self._open = ""
        self._shown: object = None
        self._lines = QVBoxLayout()
        self._lines.setSpacing(2)
        self.add(self._lines)
        self._exact = self._make_exact()
        self.add(self._exact)
        new = [
            button(shape.title(), f"new zone {shape}", partial(self._add, shape), tip=f"New zone: {shape}{key}")
            for shape, key in (("box", " (Z)"), ("cylinder", ""), ("ball", ""))
        ]
        self._body = button("Picked body", "new zone body", partial(self._add, "body"), tip="Settings of this body")
        self.add(line(*new, self._body, 1))

    def remark(self) -> str:
        """Say what they are for."""
        part = part_of(self.desk.job, self.desk.selection.parts[-1])
        return "the lower wins" if len(part.zones) > 1 else "where settings differ"

    def _make_exact(self) -> QWidget:
        exact = QWidget()
        box = QVBoxLayout(exact)
        box.setContentsMargins(8, 4, 0, 4)
        box.setSpacing(4)
        self._figures: dict[str, list[NumberField]] = {}
        self._rows: dict[str, QWidget] = {}
        for name, unit in FIELDS:
            row, figures = QWidget(), []
            for axis, letter in enumerate(AXES):
                field = NumberField(
                    f"zone {name} {letter}",
                    unit,
                    decimals=3 if unit == "mm" else 1,
                    check=_as_large if name == "size" else None,
                    width=72,
                )
                field.setAccessibleName(f"{name} of the zone, {letter}")
                field.refused.connect(lambda text: self.desk.note(text, "stop"))
                field.chosen.connect(partial(self._figure, name, axis))
                figures.append(field)
            made = line(label(name), 1, *figures, spacing=4)
            row.setLayout(made)
            box.addWidget(row)
            self._figures[name], self._rows[name] = figures, row
        self._snap = ChoiceField("zone snap", tuple(SNAPS.values()))
        self._snap.setAccessibleName("how the zone lies to the layers")
        self._snap.activated.connect(lambda index: self._change("snap zone", snap=list(SNAPS)[index]))
        box.addLayout(line(label("lies"), 1, self._snap))
        over = button("Over the next", "zone over", self._lift, role="link", tip="Where both lie, this one wins")
        settings = button("Its settings…", "zone settings", self._settings, tip="What differs within it")
        box.addLayout(line(settings, 1, over))
        return exact

    def _add(self, shape: str) -> None:
        add_zone(self.desk, shape)
        spot = self.desk.selection.in_hand
        if spot is not None and part_of(self.desk.job, spot.part).zones:
            self._open = part_of(self.desk.job, spot.part).zones[-1].id
            self.refresh()

    def _zone(self) -> tuple[str, Zone] | None:
        """The part in hand and its zone that is open."""
        spot = self.desk.selection.in_hand
        zones = part_of(self.desk.job, spot.part).zones if spot else ()
        return next(((spot.part, zone) for zone in zones if zone.id == self._open), None) if spot else None

    def _do(self, verb: str, change: Callable[[Job, str, str], Job], join: str = "") -> None:
        """Do an edit to the zone that is open."""
        known = self._zone()
        if known:
            part, zone = known
            words = f"{verb} of {part_of(self.desk.job, part).name}"
            edit(self.desk, words, lambda job: change(job, part, zone.id), join)

    def _change(self, verb: str, join: str = "", **changes: Any) -> None:
        self._do(verb, partial(edits.with_zone_changed, **changes), join)

    def _figure(self, name: str, axis: int, value: float) -> None:
        known = self._zone()
        if known:
            figures = list(getattr(known[1], name))
            figures[axis] = value
            verb = {"middle": "move zone", "size": "size zone", "turn": "turn zone"}[name]
            self._change(verb, f"zone {self._open} {name} {axis}", **{name: tuple(figures)})

    def _lift(self) -> None:
        self._do("order of zones", edits.with_zone_over)

    def _settings(self) -> None:
        known = self._zone()
        if known:
            open_settings(self.desk, known[0], known[1].id)

    def _show(self, zone: str) -> None:
        self._open = "" if zone == self._open else zone
        self.refresh()

    def _remove(self, part: str, zone: str) -> None:
        words = f"zone {edits.zone_of(self.desk.job, part, zone).title} away"
        edit(self.desk, words, lambda job: edits.without_zone(job, part, zone))

    def show_copy(self, spot: Spot) -> None:
        """List the zones of the part, with what each changes."""
        part = part_of(self.desk.job, spot.part)
        self._body.setVisible(self.desk.selection.body is not None)
        if (part.id, part.zones, self._open) != self._shown:
            self._shown = part.id, part.zones, self._open
            clear(self._lines)
            for zone in part.zones:
                opener = button(
                    f"{zone.title}: {zone.shape}", f"zone {zone.id}", partial(self._show, zone.id), role="link"
                )
                opener.setToolTip("Its place and size")
                gone = button("remove", f"remove zone {zone.id}", partial(self._remove, part.id, zone.id), role="link")
                self._lines.addLayout(line(opener, 1, label(_told(zone), "mark"), gone))
        known = self._zone()
        self._exact.setVisible(known is not None)
        if known is None:
            return
        _, zone = known
        for name, figures in self._figures.items():
            values = getattr(zone, name)
            self._rows[name].setVisible(zone.shape != "body" and values is not None)
            for field, value in zip(figures, values or (0.0, 0.0, 0.0), strict=True):
                field.show_value(value)
        self._snap.show_value(SNAPS[zone.snap])


def _as_large(value: float) -> None:
    if not LEAST_SIZE <= value <= MOST_SIZE:
        raise JobError(
            f"{value:g} mm is no size of a zone", subject="size", remedy=f"{LEAST_SIZE:g} to {MOST_SIZE:g} mm"
        )


def _told(zone: Zone) -> str:
    """Say in a few words what a zone changes."""
    if not zone.settings:
        return "changes nothing yet"
    key, value = next(iter(zone.settings.items()))
    more = len(zone.settings) - 1
    return f"{CATALOGUE[key].label.lower()} {value_text(CATALOGUE[key], value)}" + (f" +{more}" if more else "")
