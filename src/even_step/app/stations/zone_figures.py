"""The zone that is open, by figures: name, shape, place, size, turn, how deep, how it lies to the layers, copies."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.acts.zones import open_settings
from even_step.app.desk import Desk
from even_step.app.stations.part_fields import AXES
from even_step.app.stations.zone_steps import ZoneSteps
from even_step.app.widgets.fields import ChoiceField, NumberField, TextField
from even_step.app.widgets.sheet import button, label, line
from even_step.core.errors import JobError
from even_step.core.job import edits
from even_step.core.job.model import Job
from even_step.core.job.spots import part_of
from even_step.core.job.zones import LEAST_SIZE, MOST_SIZE, PLACED, Zone

SNAPS = {
    "none": "as it stands",
    "layers": "to whole layers",
    "first": "from the first layer up",
    "last": "from the last layer down",
}
SOLIDS = ("box", "cylinder", "ball")
FIELDS = (("middle", "mm"), ("size", "mm"), ("turn", "°"))
OF_FACES = (("depth", "mm"), ("above", "mm"), ("crease", "°"))
VERBS = {"middle": "move zone", "size": "size zone", "turn": "turn zone"}


class ZoneFigures(QWidget):
    """The figures of one zone."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(8, 4, 0, 4)
        self._box.setSpacing(4)
        self._rows: dict[str, QWidget] = {}
        self._figures: dict[str, list[NumberField]] = {}
        self._name = TextField()
        self._name.setObjectName("zone name")
        self._name.setAccessibleName("name of the zone")
        self._name.editingFinished.connect(self._rename)
        self._row("name", label("name"), 1, self._name)
        self._shape = ChoiceField("zone shape", SOLIDS)
        self._shape.setAccessibleName("shape of the zone")
        self._shape.activated.connect(lambda index: self._change("shape of zone", shape=SOLIDS[index]))
        self._row("shape", label("shape"), 1, self._shape)
        for name, unit in FIELDS:
            fields = [self._field(f"{name} {letter}", name, axis, unit) for axis, letter in enumerate(AXES)]
            self._figures[name] = fields
            self._row(name, label(name), 1, *fields)
        for name, unit in OF_FACES:
            self._figures[name] = [self._field(name, name, None, unit)]
            words = {"depth": "into the part", "above": "out of it", "crease": "up to folds of"}[name]
            self._row(name, label(words), 1, *self._figures[name])
        self._snap = ChoiceField("zone snap", tuple(SNAPS.values()))
        self._snap.setAccessibleName("how the zone lies to the layers")
        self._snap.activated.connect(lambda index: self._change("snap zone", snap=list(SNAPS)[index]))
        self._row("snap", label("lies"), 1, self._snap)
        self._came_out = label("", "mark", wrap=True)
        self._box.addWidget(self._came_out)
        over = button("Over the next", "zone over", self._lift, role="link", tip="Where both lie, this one wins")
        settings = button("Its settings…", "zone settings", self._settings, tip="What differs within it")
        self._box.addLayout(line(settings, 1, over))
        self._steps = ZoneSteps(desk)
        self._box.addWidget(self._steps)

    def _row(self, name: str, *pieces: QWidget | int) -> None:
        row = QWidget()
        row.setLayout(line(*pieces, spacing=4))
        self._box.addWidget(row)
        self._rows[name] = row

    def _field(self, words: str, name: str, axis: int | None, unit: str) -> NumberField:
        check = _as_large if name == "size" else _as_deep if name in {"depth", "above"} else None
        field = NumberField(f"zone {words}", unit, decimals=3 if unit == "mm" else 1, check=check, width=64)
        field.setAccessibleName(f"{words} of the zone")
        field.refused.connect(lambda text: self._desk.note(text, "stop"))
        field.chosen.connect(partial(self._figure, name, axis))
        return field

    def _do(self, verb: str, change: Callable[[Job, str, str], Job], join: str = "") -> None:
        """Do an edit to the zone."""
        known = self._desk.zoning.open
        if known:
            part, zone = known
            words = f"{verb} of {part_of(self._desk.job, part).name}"
            edit(self._desk, words, lambda job: change(job, part, zone.id), join)

    def _change(self, verb: str, join: str = "", **changes: Any) -> None:
        self._do(verb, partial(edits.with_zone_changed, **changes), join)

    def _figure(self, name: str, axis: int | None, value: float) -> None:
        known = self._desk.zoning.open
        if known is None:
            return
        if axis is None:
            self._change("zone of a face", f"zone {known[1].id} {name}", **{name: value})
            return
        figures = list(getattr(known[1], name))
        figures[axis] = value
        self._change(VERBS[name], f"zone {known[1].id} {name} {axis}", **{name: tuple(figures)})

    def _rename(self) -> None:
        known = self._desk.zoning.open
        if known and self._name.text().strip() not in ("", known[1].title):
            self._change("name of zone", name=self._name.text().strip())

    def _lift(self) -> None:
        self._do("order of zones", edits.with_zone_over)

    def _settings(self) -> None:
        known = self._desk.zoning.open
        if known:
            open_settings(self._desk, known[0], known[1].id)

    def show_zone(self, part: str, zone: Zone) -> None:
        """Show the zone as it is now."""
        of_face = bool(zone.near)
        for name, fields in self._figures.items():
            values = getattr(zone, name)
            wanted = of_face if name in dict(OF_FACES) else zone.shape in PLACED and values is not None
            self._rows[name].setVisible(wanted and not (name == "above" and zone.shape == "backing"))
            values = values if isinstance(values, tuple) else (values,) * len(fields)
            for field, value in zip(fields, values, strict=True):
                field.show_value(value or 0.0)
        self._rows["shape"].setVisible(zone.shape in SOLIDS)
        self._rows["snap"].setVisible(zone.shape != "backing")
        if zone.shape in SOLIDS:
            self._shape.show_value(zone.shape)
        self._snap.show_value(SNAPS[zone.snap])
        if not self._name.hasFocus():
            self._name.setText(zone.title)
        told = _came_out(self._desk, part, zone)
        self._came_out.setText(told)
        self._came_out.setVisible(bool(told))
        self._steps.setVisible(zone.shape in PLACED)
        self._steps.show_zone(part, zone)


def _as_large(value: float) -> None:
    if not LEAST_SIZE <= value <= MOST_SIZE:
        raise JobError(
            f"{value:g} mm is no size of a zone", subject="size", remedy=f"{LEAST_SIZE:g} to {MOST_SIZE:g} mm"
        )


def _as_deep(value: float) -> None:
    if not 0.0 <= value <= MOST_SIZE:
        raise JobError(f"{value:g} mm is no depth of a zone", subject="depth", remedy=f"0 to {MOST_SIZE:g} mm")


def _came_out(desk: Desk, part: str, zone: Zone) -> str:
    """Say what the trial in view holds within the zone; nothing where it was not sliced as it is now."""
    trial = desk.trials.shown
    if trial is None or trial.job != desk.job_of_bed:
        return ""
    told = next((one for one in trial.report["parts"] if one["id"] == part), None)
    mine = next((one for one in (told or {}).get("zones", ()) if one["id"] == zone.id), None)
    if mine is None:
        return ""
    density = mine["infill_density"]
    filled = "" if density is None else f", infill {density:.1f} %"
    return f"sliced: {mine['volume_mm3'] / 1000:.2f} cm³ of the part, {mine['mass_g']:.2f} g{filled}"
