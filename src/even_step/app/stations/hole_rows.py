"""Round holes and bosses that are laid with few sides: as drawn and as laid."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import Qt

from even_step.app.widgets.sheet import Group, clear, label, line

SIDES = 64  # px


class HoleRows(Group):
    """Shown where a trial has any."""

    def __init__(self) -> None:
        super().__init__("True-size holes", "drawn, then laid")

    def show_report(self, report: Mapping[str, Any]) -> None:
        """Fill it in."""
        clear(self.body)
        rows = rows_of(report)
        self.setVisible(bool(rows))
        for what, came, sides in rows:
            flats = label(sides)
            flats.setMinimumWidth(SIDES)
            flats.setAlignment(Qt.AlignmentFlag.AlignRight)
            row = line(label(what), 1, label(came), flats)
            row.setContentsMargins(8, 0, 2, 0)
            self.add(row)


def rows_of(report: Mapping[str, Any]) -> list[tuple[str, str, str]]:
    """Return what is alike together, smallest first: how many as drawn, how they come out, with how many sides."""
    found = Counter(
        (row["kind"] == "boss", round(row["drawn_mm"], 2), round(row["laid_mm"], 2), row["sides"])
        for part in report["parts"]
        for row in part.get("true_size", ())
        for _ in part["placements"]
    )
    return [
        (f"{count} × {'boss ' if boss else ''}{drawn:.2f} mm", f"{laid:.2f} mm", f"{sides} sides")
        for (boss, drawn, laid, sides), count in sorted(found.items())
    ]
