"""The settings of a page: a line for each under its heading, made when it is first asked for."""

from __future__ import annotations

from bisect import bisect
from collections.abc import Callable, Iterator, Mapping

from even_step.app.widgets.setting_line import SettingLine
from even_step.app.widgets.sheet import Group
from even_step.core.catalogue import CATALOGUE
from even_step.core.catalogue.setting import Setting

HEADINGS = {
    "mesh": "Models",
    "layers": "Layers",
    "outline": "Outline",
    "holes": "Outline",
    "vase": "Special modes",
    "texture": "Special modes",
    "walls": "Walls",
    "top": "Top and bottom",
    "bottom": "Top and bottom",
    "bridges": "Bridges and overhangs",
    "hanging": "Bridges and overhangs",
    "infill": "Infill",
    "foot": "Foot",
    "skirt": "Skirt",
    "supports": "Supports",
    "extruder": "Extruders",
    "purge": "Extruders",
    "order": "Order",
    "motion": "Speed",
    "heat": "Heat and cooling",
    "cooling": "Heat and cooling",
    "travel": "Travel and flow",
    "flow": "Travel and flow",
}
ORDER = {key: place for place, key in enumerate(CATALOGUE)}


class SettingLines(Mapping[str, SettingLine]):
    """Lines by key, in the order of the catalogue; ``made`` holds those that are there.

    Most are on pages that are seldom opened, and a window that made them all would take twice as long to open.
    """

    def __init__(self, make: Callable[[Setting], SettingLine], is_seen: Callable[[str], bool]) -> None:
        self._make, self._is_seen = make, is_seen
        self.made: dict[str, SettingLine] = {}
        self.groups = {
            heading: Group(heading) for heading in dict.fromkeys(HEADINGS[one.group] for one in CATALOGUE.values())
        }
        self._places: dict[str, list[int]] = {heading: [] for heading in self.groups}

    def __getitem__(self, key: str) -> SettingLine:
        """Return the line of a setting."""
        if key not in self.made:
            heading, made = HEADINGS[CATALOGUE[key].group], self._make(CATALOGUE[key])
            place = bisect(self._places[heading], ORDER[key])
            self._places[heading].insert(place, ORDER[key])
            self.groups[heading].body.insertWidget(place, made)
            made.setVisible(self._is_seen(key))
            self.made[key] = made
        return self.made[key]

    def __iter__(self) -> Iterator[str]:
        """Go through the keys of the catalogue."""
        return iter(CATALOGUE)

    def __len__(self) -> int:
        """Return how many settings there are."""
        return len(CATALOGUE)
