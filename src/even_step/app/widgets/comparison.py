"""Two trials compared on a page: what was set otherwise, figures side by side, findings gained and lost."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from even_step.app.trials import Trial
from even_step.app.widgets.marks import Mark
from even_step.app.widgets.sheet import Group, button, label, line
from even_step.core.job.differences import differences
from even_step.core.trials.comparison import Compared, compare
from even_step.core.trials.figures import figures_of
from even_step.core.wording import clock, grams

#: How figures are called, and said.
Say = Callable[[float], str]
FIGURES: dict[str, tuple[str, Say]] = {
    "time_s": ("printing time", clock),
    "mass_g": ("mass", grams),
    "cost": ("cost", "{:.2f}".format),
    "layers": ("layers", "{:.0f}".format),
    "void_mm2": ("void", "{:.1f} mm²".format),
    "overlap_mm2": ("laid twice", "{:.1f} mm²".format),
    "outside_mm2": ("outside", "{:.2f} mm²".format),
    "unsupported_area_mm2": ("unheld", "{:.0f} mm²".format),
    "contact_area_mm2": ("contact with the bed", "{:.0f} mm²".format),
    "support_contact_mm2": ("contact with supports", "{:.0f} mm²".format),
    "stair_largest_mm": ("largest stair", "{:.2f} mm".format),
    "rough_area_mm2": ("slopes rougher than 0.1 mm", "{:.0f} mm²".format),
    "retractions": ("retractions", "{:.0f}".format),
    "gap_fill_strokes": ("strokes of gap fill", "{:.0f}".format),
    "changes_of_extruder": ("changes of extruder", "{:.0f}".format),
}
NOTHING = "nothing"


class ComparisonPage(QDialog):
    """What the second trial is against the first."""

    marks = Signal()

    def __init__(self, a: Trial, b: Trial, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Trial {a.number} and trial {b.number}")
        self.setObjectName("comparison")
        self.told = compare(_side(a), _side(b))
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.addWidget(_listed("Set otherwise", differences(a.job, b.job)))
        box.addWidget(self._figures(a, b))
        for word in ("gained", "lost"):
            box.addWidget(_findings(f"Findings {word}", self.told["findings"][word]))
        box.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inside)
        scroll.setWidgetResizable(True)
        outer = QVBoxLayout(self)
        outer.addWidget(scroll)
        mark = button(
            "Mark in Layers what only one has", "mark only", self._mark, tip="Click the tickets to see it of either"
        )
        outer.addLayout(line(mark, 1, button("Close", "close comparison", self.accept)))
        self.resize(620, 640)

    def _mark(self) -> None:
        self.marks.emit()
        self.accept()

    def _figures(self, a: Trial, b: Trial) -> Group:
        differ, same = self.told["figures"], self.told["same"]
        seen = [name for name in differ if _is_seen(name, differ[name]["difference"])]
        others = [name for name in (*differ, *same) if name not in seen and "." not in name]
        group = Group("Figures", f"{len(seen)} differ" if seen else "all the same")
        table = QGridLayout()
        table.setHorizontalSpacing(20)
        table.setVerticalSpacing(3)
        table.setColumnStretch(0, 1)
        heads = ("", f"trial {a.number}", f"trial {b.number}", "difference")
        for column, head in enumerate(heads):
            table.addWidget(_right(head, "head") if column else label(head), 0, column)
        for row, name in enumerate((*seen, *others), 1):
            known = differ.get(name) or {"a": same[name], "b": same[name]}
            words, say = said_of(name)
            table.addWidget(label(words), row, 0)
            for column, value in enumerate((known["a"], known["b"]), 1):
                table.addWidget(_right(say(value)), row, column)
            last = _right(signed(known["difference"], say)) if name in seen else _right("same", "mark")
            last.setObjectName(f"difference {name}")
            table.addWidget(last, row, 3)
        group.body.addLayout(table)
        return group


def _side(trial: Trial) -> Compared:
    return Compared({}, figures_of(trial.report), trial.report["findings"])


def said_of(name: str) -> tuple[str, Say]:
    """Return how a figure is called, and how its number reads; those of a role say so."""
    what, _, role = name.partition(".")
    words, say = FIGURES.get(what, (what.replace("_", " "), "{:g}".format))
    return (f"{words}, {role.replace('-', ' ')}" if role else words), say


def _is_seen(name: str, difference: float) -> bool:
    """Tell whether a difference is more than nothing as it reads."""
    _, say = said_of(name)
    return say(abs(difference)) != say(0.0)


def signed(difference: float, say: Say) -> str:
    """Say a difference with its sign."""
    return ("+ " if difference > 0 else "− ") + say(abs(difference))


def _right(text: str, role: str = "") -> QWidget:
    made = label(text, role)
    made.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    return made


def _listed(title: str, lines: list[str]) -> Group:
    group = Group(title, "" if lines else NOTHING, ruled=False)
    for text in lines:
        group.add(label(text, wrap=True))
    return group


def _findings(title: str, found: list[Mapping[str, Any]]) -> Group:
    group = Group(title, str(len(found)) if found else "none")
    for finding in found:
        where = "" if finding["part"] in finding["message"] else f"{finding['part']}: "
        group.add(line(Mark(finding["severity"]), label(where + finding["message"], wrap=True), spacing=8))
    return group
