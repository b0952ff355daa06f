"""The heights of layers in use: how many layers have each and what they take, and the stairs that slopes show."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from even_step.app.widgets.sheet import Group, clear, label, line
from even_step.core.wording import clock

FEW = 6  # heights that have a row of their own; more are put together
BAND = 0.04  # mm


class HeightRows(Group):
    """Shown where a trial has layers of several heights."""

    def __init__(self) -> None:
        super().__init__("Heights", "all parts")

    def show_report(self, report: Mapping[str, Any]) -> None:
        """Fill it in."""
        clear(self.body)
        rows = rows_of(report)
        self.setVisible(len(rows) > 1)
        for height, layers, time in rows:
            row = line(label(height), 1, label(f"{layers} layers    {clock(time)}"))
            row.setContentsMargins(8, 0, 2, 0)
            self.add(row)
        rough = [part for part in report["parts"] if part.get("stair_largest_mm")]
        if rough:
            worst = max(rough, key=lambda part: part["stair_largest_mm"])
            stairs = f"stairs on slopes up to {worst['stair_largest_mm']:.2f} mm, on {worst['name']}"
            row = line(label(stairs, "mark"), 1)
            row.setContentsMargins(8, 0, 2, 0)
            self.add(row)
        for told in slopes_of(report):
            row = line(label(told, "mark", wrap=True))
            row.setContentsMargins(8, 0, 2, 0)
            self.add(row)


def slopes_of(report: Mapping[str, Any]) -> list[str]:
    """Say at which slopes the heights of parts change whose layers follow the surface, alike ones once."""
    found = {
        (round(part["finer_from_deg"]), round(part["finest_from_deg"]))
        for part in report["parts"]
        if "finer_from_deg" in part
    }
    return [f"finer from {finer}° off upright, finest from {finest}°" for finer, finest in sorted(found)]


def rows_of(report: Mapping[str, Any]) -> list[tuple[str, int, float]]:
    """Return the heights of all parts together, thinnest first: what to call each, its layers, its time in s."""
    found: dict[float, tuple[int, float]] = {}
    for part in report["parts"]:
        for row in part.get("heights", ()):
            layers, time = found.get(row["height_mm"], (0, 0.0))
            found[row["height_mm"]] = layers + row["layers"], time + row["time_s"]
    if len(found) <= FEW:
        return [(f"{height:g} mm", layers, time) for height, (layers, time) in sorted(found.items())]
    bands: dict[int, tuple[int, float]] = {}
    for height, (layers, time) in found.items():
        band = int(height / BAND + 1e-6)
        before = bands.get(band, (0, 0.0))
        bands[band] = before[0] + layers, before[1] + time
    return [(f"{band * BAND:.2f} to {(band + 1) * BAND:.2f} mm", *row) for band, row in sorted(bands.items())]
