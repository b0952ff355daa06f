"""The heights of layers in use: how many layers have each and what they take, and the stairs that slopes show."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from even_step.app.desk import Desk
from even_step.app.stations.tick_row import TickRow
from even_step.app.widgets.sheet import Group, clear, label, line
from even_step.core.wording import clock

FEW = 6  # heights that have a row of their own; more are put together
BAND = 0.04  # mm
NEAR = 0.0005  # mm, by which a line may be higher or lower than it is told


class HeightRows(Group):
    """Shown where a trial has layers of several heights; what is as high as a row says is hidden by a click on it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Heights", "all parts, click to hide")
        self._desk = desk

    def show_report(self, report: Mapping[str, Any]) -> None:
        """Fill it in; heights that are in use no more are not hidden any more."""
        clear(self.body)
        rows = rows_of(report)
        self.setVisible(len(rows) > 1)
        spans = [row.span for row in rows] if len(rows) > 1 else []
        self._desk.view.set("hidden_heights", self._desk.view.hidden_heights & frozenset(spans))
        for found in rows:
            many = f"{found.layers} layer{'s' * (found.layers > 1)}"
            tick = TickRow(found.name, many, clock(found.time), begin=20, last=84)
            tick.setObjectName(f"height {found.name}")
            tick.setChecked(found.span not in self._desk.view.hidden_heights)
            tick.toggled.connect(lambda shown, span=found.span: self._hide(span, shown=shown))
            self.add(tick)
        rough = [part for part in report["parts"] if part.get("stair_largest_mm")]
        if rough:
            worst = max(rough, key=lambda part: part["stair_largest_mm"])
            stairs = f"stairs on slopes up to {worst['stair_largest_mm']:.2f} mm, on {worst['name']}"
            row = line(label(stairs, "mark"), 1)
            row.setContentsMargins(8, 0, 2, 0)
            self.add(row)
        for told in (*slopes_of(report), *roughness_of(report)):
            row = line(label(told, "mark", wrap=True))
            row.setContentsMargins(8, 0, 2, 0)
            self.add(row)

    def _hide(self, span: tuple[float, float], *, shown: bool) -> None:
        hidden = self._desk.view.hidden_heights
        self._desk.view.set("hidden_heights", hidden - {span} if shown else hidden | {span})


def roughness_of(report: Mapping[str, Any]) -> list[str]:
    """Say how much of the slopes of a bed is rough, and would be with even layers; nothing where that is the same."""
    whole = now = even = 0.0
    for part in report["parts"]:
        if "stair_areas" in part:
            copies = len(part["placements"]) / 100
            whole += copies * sum(row["area_mm2"] for row in part["stair_areas"])
            now += copies * part["rough_area_mm2"]
            even += copies * part["rough_even_area_mm2"]
    seen, before = f"{now:.1f}", f"{even:.1f}"
    return [f"slopes rougher than 0.1 mm: {seen} of {whole:.1f} cm², with even layers {before}"] * (seen != before)


def slopes_of(report: Mapping[str, Any]) -> list[str]:
    """Say at which slopes the heights of parts change whose layers follow the surface, alike ones once."""
    found = {
        (round(part["finer_from_deg"]), round(part["finest_from_deg"]))
        for part in report["parts"]
        if "finer_from_deg" in part
    }
    return [f"finer from {finer}° off upright, finest from {finest}°" for finer, finest in sorted(found)]


class HeightRow(NamedTuple):
    """Heights in use: what to call them, from which to below which, mm, how many layers have them, how long, s."""

    name: str
    span: tuple[float, float]
    layers: int
    time: float


def rows_of(report: Mapping[str, Any]) -> list[HeightRow]:
    """Return the heights of all parts together, thinnest first."""
    found: dict[float, tuple[int, float]] = {}
    for part in report["parts"]:
        for row in part.get("heights", ()):
            layers, time = found.get(row["height_mm"], (0, 0.0))
            found[row["height_mm"]] = layers + row["layers"], time + row["time_s"]
    if len(found) <= FEW:
        return [HeightRow(f"{h:g} mm", (h - NEAR, h + NEAR), *row) for h, row in sorted(found.items())]
    bands: dict[int, tuple[int, float]] = {}
    for height, (layers, time) in found.items():
        band = int(height / BAND + 1e-6)
        before = bands.get(band, (0, 0.0))
        bands[band] = before[0] + layers, before[1] + time
    return [_banded(band, *row) for band, row in sorted(bands.items())]


def _banded(band: int, layers: int, time: float) -> HeightRow:
    low, high = band * BAND, (band + 1) * BAND
    return HeightRow(f"{low:.2f} to {high:.2f} mm", (low - NEAR, high - NEAR), layers, time)
