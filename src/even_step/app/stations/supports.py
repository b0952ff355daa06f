"""The station Supports: what hangs, what holds it, and what that costs."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtWidgets import QButtonGroup, QGridLayout, QVBoxLayout, QWidget

from even_step.app.acts.holding import KINDS, choose_kind, compare_kinds
from even_step.app.acts.placing import edit
from even_step.app.desk import Desk
from even_step.app.stations.scope_line import ScopeLine
from even_step.app.theme.type import BODY, font
from even_step.app.widgets.marks import Mark
from even_step.app.widgets.rose import Rose
from even_step.app.widgets.setting_line import SettingLine
from even_step.app.widgets.sheet import Group, Sheet, button, clear, label, line
from even_step.core.catalogue import CATALOGUE
from even_step.core.job import edits
from even_step.core.job.model import Part
from even_step.core.overhang import limits_of
from even_step.core.wording import clock, grams

LINES = (
    *("supports.from", "supports.gap_above", "supports.gap_beside", "supports.margin"),
    *("supports.line_distance", "supports.density", "supports.contact_layers", "supports.spare_bridges"),
    *("supports.branch_angle", "supports.branch_spacing"),
)
LEAST = 0.5  # mm², less is not told


class SupportsStation(Sheet):
    """Shows what hangs part by part, chooses how it is held, and tells what that comes to."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("Supports")
        self._desk = desk
        self._hangs = Group("What hangs", ruled=False)
        self._rows = QVBoxLayout()
        self._hangs.add(self._rows)
        self.add(self._hangs)
        self._open: SettingLine | None = None
        self._add_kinds()
        self._add_tally()
        self._add_limit()
        self._add_lines()
        desk.foreseen.changed.connect(self._refresh)
        desk.store.changed.connect(lambda _: self._refresh())
        desk.whose.changed.connect(self._refresh)
        desk.trials.shown_changed.connect(self._refresh)
        desk.view.changed.connect(lambda piece: self._refresh() if piece in {"station", "bed"} else None)
        self._refresh()

    def _add_limit(self) -> None:
        group = Group("Limit", "degrees from the vertical")
        self._rose = Rose()
        self._angle = SettingLine(CATALOGUE["supports.angle"], self._desk, "supports")
        self._angle.opened.connect(self._show_detail)
        row = line(label("What leans further toward a side hangs.", wrap=True), self._rose)
        group.add(row)
        group.add(self._angle)
        self.add(group)

    def _add_kinds(self) -> None:
        group = Group("Held by")
        group.add(ScopeLine(self._desk))
        self._kinds = QButtonGroup(self)
        pieces = []
        for kind in KINDS:
            piece = button(kind.title(), f"kind {kind}", partial(choose_kind, self._desk, kind))
            piece.setCheckable(True)
            self._kinds.addButton(piece)
            pieces.append(piece)
        self._kind = dict(zip(KINDS, pieces, strict=True))
        compare = button(
            "Compare", "compare kinds", partial(compare_kinds, self._desk), tip="Slice with each kind: a trial for each"
        )
        group.add(line(*pieces, 1, compare, spacing=0))
        self._elsewhere = label("", "mark", wrap=True)
        group.add(self._elsewhere)
        self.add(group)

    def _add_lines(self) -> None:
        group = Group("Distances")
        self.lines = {key: SettingLine(CATALOGUE[key], self._desk, "supports") for key in LINES}
        for made in self.lines.values():
            made.opened.connect(self._show_detail)
            group.add(made)
        more = button("All about supports…", "all supports", self._show_all, role="link", tip="On the recipe's sheet")
        group.add(line(more, 1))
        self.add(group)

    def _add_tally(self) -> None:
        self._tally = Group("What it comes to")
        held = QWidget()
        self._table = QGridLayout(held)
        self._table.setContentsMargins(0, 0, 0, 0)
        self._table.setColumnStretch(0, 1)
        self._tally.add(held)
        self._by_part = QVBoxLayout()
        self._tally.add(self._by_part)
        self._gaps = button(
            "Look at the gaps…", "see gaps", self._see_gaps, role="link", tip="With the lens, in Layers"
        )
        self._tally.add(line(self._gaps, 1))
        self.add(self._tally)

    def _see_gaps(self) -> None:
        view = self._desk.view
        view.set("station", "Layers")
        view.set("lens", True)

    def _show_all(self) -> None:
        view = self._desk.view
        view.set("level", "everything")
        view.set("station", "Recipe")

    def _show_detail(self, made: SettingLine) -> None:
        if self._open is not None and self._open is not made:
            self._open.open(opened=False)
        self._open = made
        made.open(opened=True)

    def _refresh(self) -> None:
        if self._desk.view.station != "Supports":
            return
        values, machine = self._desk.whose.resolved.values, self._desk.job.machine
        self._rose.show_limits(limits_of(float(values["supports.angle"]), machine.overhang_limit), machine.fan_side)
        kind = str(values["supports.kind"])
        self._kind[kind].setChecked(True)
        self.remark.setText(kind if kind == "none" else f"{kind}, {_FROM[str(values['supports.from'])]}")
        apart = self._desk.whose.elsewhere("supports.kind")
        self._elsewhere.setText(f"{' and '.join(apart)} held in a way of their own" if apart else "")
        self._elsewhere.setVisible(bool(apart))
        for made in (self._angle, *self.lines.values()):
            made.refresh()
        self._show_parts()
        self._show_tally()

    def _show_parts(self) -> None:
        """List what hangs, part by part, each with the way to turn it."""
        clear(self._rows)
        foreseen = self._desk.foreseen
        self._hangs.note.setText("" if foreseen.is_known else "looking…")
        there = {spot.part for spot in self._desk.spots}
        told = [part for part in self._desk.job.parts if part.id in there and part.id in foreseen.parts]
        for part in told:
            found = foreseen.parts[part.id]
            if found.hanging < LEAST:
                continue
            pose = button("Pose", f"pose {part.id}", partial(self._pose, part.id), tip="Propose ways to stand it (P)")
            words = label(f"{found.hanging:.0f} mm²")
            words.setFont(font(BODY))
            mark = Mark("warn" if found.unheld >= 1.0 else "")
            self._rows.addLayout(line(mark, label(_called(part, self._desk)), 1, words, pose))
        for part in told:
            if part.posts or part.marks:
                gone = button(
                    "Take away", f"take away by hand {part.id}", partial(self._take_away, part.id), role="link"
                )
                self._rows.addLayout(line(label(f"{_by_hand(part)} on {part.name}", "faint"), 1, gone))
        if not self._rows.count():
            waiting = "Nothing hangs past the limit." if foreseen.is_known else "Looking at what hangs…"
            empty = "No parts on the bed." if not there else waiting
            self._rows.addWidget(label(empty, "faint", wrap=True))

    def _take_away(self, part: str) -> None:
        edit(self._desk, "posts and marks away", lambda job: edits.without_hand(job, part))

    def _pose(self, part: str) -> None:
        desk = self._desk
        desk.selection.pick([spot for spot in desk.spots if spot.part == part])
        desk.view.set("station", "Parts")
        desk.view.set("tool", "pose")

    def _show_tally(self) -> None:
        """Tell what is held and what that takes: as sliced, where that is of the job as it is; else as foreseen."""
        clear(self._table)
        trial = self._desk.trials.shown
        sliced = trial is not None and trial.bed == self._desk.bed and trial.job == self._desk.job_of_bed
        self._gaps.setVisible(trial is not None)
        told = trial.report["parts"] if trial and sliced else []
        rows = _sliced_rows([part["supports"] for part in told]) if trial and sliced else self._foreseen_rows()
        self._tally.note.setText(f"trial {trial.number}" if trial and sliced else "foreseen; slice for the rest")
        for row, (name, value, wrong) in enumerate(rows):
            called = label(name, "faint")
            self._table.addWidget(Mark("warn" if wrong else ""), row, 0)
            self._table.addWidget(called, row, 1)
            self._table.addWidget(label(value), row, 2)
        self._table.setColumnStretch(1, 1)
        self._table.setColumnStretch(0, 0)
        self._show_by_part([part for part in told if part["supports"]["hanging_mm2"] >= LEAST])

    def _show_by_part(self, told: list[dict[str, Any]]) -> None:
        """Tell the same of each part, where there are several."""
        clear(self._by_part)
        for part in told if len(told) > 1 else ():
            copies = len(part["placements"])
            name = f"{part['name']} ×{copies}" if copies > 1 else part["name"]
            words = [f"{title} {value}" for title, value, _ in _sliced_rows([part["supports"]])]
            about = label("; ".join(words), "mark", wrap=True)
            about.setObjectName(f"tally {part['id']}")
            self._by_part.addWidget(label(name))
            self._by_part.addWidget(about)

    def _foreseen_rows(self) -> list[tuple[str, str, bool]]:
        parts = self._desk.foreseen.parts.values()
        hangs, unheld, clear = (sum(getattr(one, name) for one in parts) for name in ("hanging", "unheld", "clear"))
        return [
            ("held", f"≈ {hangs - unheld - clear:.0f} mm²", False),
            ("unheld", f"≈ {unheld:.0f} mm²", unheld >= 1.0),
            *([("kept clear", f"≈ {clear:.0f} mm²", False)] if clear >= 1.0 else []),
        ]


AREAS = ("hanging_mm2", "unheld_mm2", "kept_clear_mm2", "contact_mm2", "contact_show_mm2")
_FROM = {"everywhere": "everywhere", "bed": "from the bed"}


def _by_hand(part: Part) -> str:
    """Count the posts and marks of a part."""
    counts = ((len(part.posts), "post"), (len(part.marks), "mark"))
    return ", ".join(f"{count} {word}{'s' if count > 1 else ''}" for count, word in counts if count)


def _called(part: Any, desk: Desk) -> str:
    copies = sum(1 for spot in desk.spots if spot.part == part.id)
    return f"{part.name} ×{copies}" if copies > 1 else str(part.name)


def _sliced_rows(told: list[dict[str, Any]]) -> list[tuple[str, str, bool]]:
    """Return the rows of the tally of some parts: name, value, whether something is wrong with it."""
    hangs, unheld, clear, contact, show, mass, time = (
        sum(float(one.get(name, 0.0)) for one in told) for name in (*AREAS, "mass_g", "time_s")
    )
    rows = [
        ("held", f"{hangs - unheld - clear:.0f} mm²", False),
        ("unheld", f"{unheld:.0f} mm²", unheld >= 1.0),
        *([("kept clear", f"{clear:.0f} mm²", False)] if clear >= 1.0 else []),
        ("contact", f"{contact:.0f} mm²", False),
        *([("on show faces", f"{show:.0f} mm²", False)] if any("contact_show_mm2" in one for one in told) else []),
        ("plastic, time", f"{grams(mass)} · {clock(time)}", False),
    ]
    slim = [one for one in told if "slimmest_mm" in one]
    if slim:
        worst = max(slim, key=lambda one: one["slimmest_height_mm"] / one["slimmest_mm"])
        rows.append(
            ("slimmest column", f"{worst['slimmest_mm']:.1f} mm, {worst['slimmest_height_mm']:.0f} tall", False)
        )
    return rows
