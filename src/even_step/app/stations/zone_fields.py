"""The zones of the part in hand: a list, what each changes, the figures of the one that is open, and new ones."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from even_step.app.acts.placing import edit
from even_step.app.acts.zones import add_zone
from even_step.app.desk import Desk
from even_step.app.stations.part_fields import ToolFields
from even_step.app.stations.zone_figures import ZoneFigures
from even_step.app.stations.zone_grip import ZoneGrip
from even_step.app.widgets.sheet import button, clear, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.job import edits
from even_step.core.job.differences import value_text
from even_step.core.job.spots import Spot, part_of
from even_step.core.job.zones import Zone


class ZoneFields(ToolFields):
    """The zones of the part in hand."""

    def __init__(self, desk: Desk, wants: Callable[[str], None]) -> None:
        super().__init__("Zones", desk)
        self._shown: object = None
        self._lines = QVBoxLayout()
        self._lines.setSpacing(2)
        self.add(self._lines)
        self.figures = ZoneFigures(desk)
        self.add(self.figures)
        drawn = [
            button(words, f"draw {tool}", partial(desk.view.set, "tool", tool), tip=tip)
            for words, tool, tip in (
                ("Draw…", "zone", "Two clicks on the part, and a height (Z)"),
                ("Of a face…", "zone-face", "A face carried into the part"),
                ("Behind a face…", "zone-backing", "What lies within a depth of a face, full"),
            )
        ]
        new = [
            button(shape.title(), f"new zone {shape}", partial(add_zone, desk, shape), tip=f"New zone: {shape}")
            for shape in ("box", "cylinder", "ball")
        ]
        of_file = button("File…", "new zone file", partial(wants, "zones.file"), tip="The shape of a file")
        body = partial(add_zone, desk, "body")
        self._body = button("Picked body", "new zone body", body, tip="Settings of this body")
        self.add(line(*drawn, 1))
        self.add(line(*new, of_file, 1))
        self.add(self._body)
        desk.zoning.changed.connect(self.refresh)
        desk.trials.shown_changed.connect(self.refresh)

    def remark(self) -> str:
        """Say what they are for."""
        part = part_of(self.desk.job, self.desk.selection.parts[-1])
        return "the lower wins" if len(part.zones) > 1 else "where settings differ"

    def _show(self, part: str, zone: str) -> None:
        known = self.desk.zoning.open
        self.desk.zoning.show(part, "" if known and known[1].id == zone else zone)

    def _pull(self, part: str, zone: str, place: int, steps: int) -> None:
        edit(self.desk, "order of zones", lambda job: edits.with_zone_at(job, part, zone, place + steps))

    def _remove(self, part: str, zone: str) -> None:
        words = f"zone {edits.zone_of(self.desk.job, part, zone).title} away"
        edit(self.desk, words, lambda job: edits.without_zone(job, part, zone))

    def show_copy(self, spot: Spot) -> None:
        """List the zones of the part, with what each changes."""
        part = part_of(self.desk.job, spot.part)
        self._body.setVisible(self.desk.selection.body is not None)
        if (part.id, part.zones) != self._shown:
            self._shown = part.id, part.zones
            clear(self._lines)
            for place, zone in enumerate(part.zones):
                grip = ZoneGrip(f"grip {zone.id}", place, len(part.zones) - 1 - place)
                grip.dropped.connect(partial(self._pull, part.id, zone.id, place))
                opener = button(
                    f"{zone.title}: {zone.shape}", f"zone {zone.id}", partial(self._show, part.id, zone.id), role="link"
                )
                opener.setToolTip("Its place and size")
                gone = button("remove", f"remove zone {zone.id}", partial(self._remove, part.id, zone.id), role="link")
                row = QWidget()
                row.setLayout(line(grip, opener, 1, label(_told(zone), "mark"), gone))
                self._lines.addWidget(row)
        known = self.desk.zoning.open
        self.figures.setVisible(known is not None and known[0] == part.id)
        if known is None or known[0] != part.id:
            return
        self.figures.show_zone(*known)


def _told(zone: Zone) -> str:
    """Say in a few words what a zone changes."""
    if not zone.holds:
        return "changes nothing yet"
    key, value = next(iter(zone.holds.items()))
    more = len(zone.holds) - 1
    return f"{CATALOGUE[key].label.lower()} {value_text(CATALOGUE[key], value)}" + (f" +{more}" if more else "")
