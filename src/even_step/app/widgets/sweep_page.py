"""The page of sweeps: what is tried, a curve of any figure, and what is done with a point of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QVBoxLayout, QWidget

from even_step.app.desk import Desk
from even_step.app.sweeping import Sweep, Sweeping
from even_step.app.widgets.comparison import FIGURES, said_of
from even_step.app.widgets.curve import Curve, Series, library
from even_step.app.widgets.fields import ChoiceField
from even_step.app.widgets.sheet import button, label, line, rule
from even_step.app.widgets.sweep_range import RangeFields
from even_step.app.written import written
from even_step.core.catalogue import find_setting
from even_step.core.catalogue.setting import Value
from even_step.core.errors import EvenStepError
from even_step.core.job.differences import value_text
from even_step.core.trials.figures import Row
from even_step.core.trials.ranges import jobs_of
from even_step.core.trials.ready import READY
from even_step.core.trials.table import as_csv

FIRST = "infill.density"
CURVE = 300  # points high
ALWAYS = ("time_s", "mass_g", "void_mm2")  # told of a point though the others have the same


class SweepPage(QDialog):
    """Tries the values of one setting or two, or one of the ready sweeps."""

    saves = Signal()

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sweep")
        self.setObjectName("sweep")
        self._desk, self._sweeping = desk, desk.sweeping
        self._told = label("", "mark", wrap=True)
        self._told.setObjectName("sweep told")
        self._of = RangeFields("sweep", tuple(one.name for one in READY))
        self._second = RangeFields("sweep second", ("nothing else",))
        self._start = button("Start", "sweep start", self._begin)
        self._stop = button("Stop", "sweep stop", self._sweeping.stop)
        self._figure = ChoiceField("sweep figure", tuple(words for words, _ in FIGURES.values()))
        self._figure.activated.connect(lambda _: self._draw())
        self._place = QVBoxLayout()
        self._curve: Curve | None = None
        self._words = label("", wrap=True)
        self._words.setObjectName("sweep chosen")
        self._chosen = -1
        self._take = button("Take these settings", "sweep take", self._adopt)
        self._trial = button("Slice as a trial", "sweep trial", self._slice)
        self._save = button("Save the table…", "sweep save", self.saves.emit)
        self._lay_out()
        self._sweeping.changed.connect(self._follow)
        self._sweeping.failed.connect(self._told.setText)
        for fields in (self._of, self._second):
            fields.changed.connect(self._tell_count)
        values = dict(desk.resolved.values)
        self._of.begin_at(values, 0)
        self._of.pick(FIRST)
        self._second.begin_at(values, 0)
        desk.background.run("curves", library, self._have_library)
        self.finished.connect(lambda _: desk.background.forget("curves"))
        self._follow()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setSpacing(8)
        box.addWidget(label("Try", "head"))
        box.addWidget(self._of)
        self._and = label("and for each of them", "head")
        box.addWidget(self._and)
        box.addWidget(self._second)
        row = line(self._start, self._stop, spacing=8)
        row.addWidget(self._told, 1)
        box.addLayout(row)
        box.addWidget(rule())
        box.addLayout(line("Curve of", self._figure, 1))
        box.addLayout(self._place, 1)
        box.addWidget(self._words)
        box.addLayout(line(self._take, self._trial, self._save, 1, button("Close", "close sweep", self.accept)))
        self.resize(720, 680)

    def _have_library(self, drawn_by: Any) -> None:
        self._curve = Curve(drawn_by)
        self._curve.setMinimumHeight(CURVE)
        self._curve.chosen.connect(self._choose)
        self._place.addWidget(self._curve)
        self._draw()

    def _sweep(self) -> Sweep:
        """Return the sweep that is asked for.

        Raises
        ------
        EvenStepError
            When it cannot be.
        """
        job = self._desk.job_of_bed
        if self._of.other >= 0:
            ready = READY[self._of.other]
            return Sweep(job, ready.asks(job), ready.figure, ready.best)
        ranges = [one for one in (self._of.range(), self._second.range()) if one is not None]
        return Sweep(job, jobs_of(job, ranges), "time_s")

    def _tell_count(self) -> None:
        for piece in (self._and, self._second):
            piece.setVisible(self._of.other < 0)
        try:
            count = len(self._sweep().tried)
        except EvenStepError as error:
            self._told.setText(error.told)
            self._start.setEnabled(False)
            return
        self._start.setEnabled(bool(self._desk.job_of_bed.parts))
        parts = "" if self._desk.job_of_bed.parts else "; nothing stands on the bed"
        self._told.setText(f"{count} slice{'s' if count > 1 else ''}, in the background{parts}")

    def _begin(self) -> None:
        try:
            sweep = self._sweep()
        except EvenStepError as error:
            self._told.setText(error.told)
            return
        self._chosen = -1
        self._figure.setCurrentIndex(list(FIGURES).index(sweep.figure))
        self._sweeping.start(sweep)

    def _follow(self) -> None:
        """Show how far the sweep is, and what is known."""
        sweeping, sweep = self._sweeping, self._sweeping.sweep
        self._stop.setVisible(sweeping.running)
        self._start.setText("Start anew" if sweeping.running else "Start")
        if sweep is not None:
            done, count = len(sweeping.rows), len(sweep.tried)
            left = "" if sweeping.running or done == count else "; stopped, what is done stays"
            self._told.setText(f"{done} of {count} sliced{left}")
            if done == count and sweep.best is not None:
                self._tell_best()
            if self._chosen < 0 and done:
                self._chosen = 0
        self._draw()

    def _tell_best(self) -> None:
        best = self._sweeping.best
        if best is None:
            self._told.setText("None of them carries its tops: try more top layers, or another pattern.")
            return
        self._chosen = next(k for k, row in enumerate(self._sweeping.rows) if row is best)
        self._told.setText(f"Best: {self._said(best)}.")

    def _said(self, row: Row) -> str:
        sweep = self._sweeping.sweep
        return ", ".join(_said_value(key, row[key]) for key in sweep.keys) if sweep else ""

    def _draw(self) -> None:
        rows = self._sweeping.rows
        if self._curve is not None:
            name = list(FIGURES)[self._figure.currentIndex()]
            words, say = said_of(name)
            series, along, names = series_of(self._sweeping, name)
            self._curve.show_series(series, along, words, names, say)
        for piece in (self._take, self._trial, self._save):
            piece.setEnabled(bool(rows))
        self._choose(min(self._chosen, len(rows) - 1))

    def _choose(self, row: int) -> None:
        """Choose a point, and say all of its figures."""
        self._chosen = row
        if self._curve is not None:
            self._curve.show_chosen(row)
        if row < 0:
            self._words.setText("Each value becomes a point: choose one by a click, or with Left and Right.")
            return
        rows = self._sweeping.rows
        known = rows[row]
        told = [name for name in FIGURES if name in known and (name in ALWAYS or len({one[name] for one in rows}) > 1)]
        figures = (f"{FIGURES[name][0]} {FIGURES[name][1](known[name])}" for name in told)
        count = sum(known["findings"].values())
        found = f"{count} finding{'' if count == 1 else 's'}"
        self._words.setText(f"{self._said(known)}: " + ", ".join(figures) + f", {found}.")

    def _values(self) -> dict[str, Value]:
        sweep = self._sweeping.sweep
        return dict(sweep.tried[self._chosen][0]) if sweep and self._chosen >= 0 else {}

    def _adopt(self) -> None:
        """Let the job have the settings of the point, as one step that can be undone."""
        values, store = self._values(), self._desk.store
        if values:
            words = ", ".join(_said_value(key, value) for key, value in values.items())
            store.do(words, store.job.with_settings(dict(values)))
            self._told.setText(f"The job has them now: {words}. Undo takes it back.")

    def _slice(self) -> None:
        if self._values():
            self._desk.trials.slice_with([self._values()])

    def save(self, path: str) -> None:
        """Write what is done as a table, whole or not at all."""
        sweep = self._sweeping.sweep
        if sweep is None:
            return
        text = as_csv(self._sweeping.rows, sweep.keys)

        def told(fault: str) -> None:  # the page may be gone by then
            self._desk.note(fault or f"Saved the table {Path(path).name}", "stop" if fault else "note")

        self._desk.background.run(f"table {path}", lambda: written(Path(path), text.encode()), told)


def _said_value(key: str, value: Value) -> str:
    setting = find_setting(key)
    return f"{setting.label.lower()} {value_text(setting, value)}"


def series_of(sweeping: Sweeping, name: str) -> tuple[list[Series], str, list[str]]:
    """Return the curves of a figure, what is along x, and the places along x where those are words.

    A curve for each value of the second setting; where two widths are swept as one, along the last.
    """
    sweep = sweeping.sweep
    if sweep is None:
        return [], "", []
    values = [tried[0] for tried in sweep.tried]
    together = all(len(set(one.values())) == 1 for one in values[1:]) and len(sweep.keys) > 1
    along = sweep.keys[-1] if together else sweep.keys[0]
    others = [] if together else list(sweep.keys[1:])
    places = list(dict.fromkeys(one[along] for one in values))
    words = [] if _are_numbers(places) else [value_text(find_setting(along), place) for place in places]
    made: dict[str, list[tuple[int, float, float]]] = {}
    for k, row in enumerate(sweeping.rows):
        if name in row:
            x = float(row[along]) if not words else float(places.index(row[along]))
            called = ", ".join(value_text(find_setting(key), row[key]) for key in others)
            made.setdefault(called, []).append((k, x, row[name]))
    setting = find_setting(along)
    unit = f", {setting.unit}" if setting.unit else ""
    series = [
        Series(called, *zip(*sorted(points, key=lambda one: one[1]), strict=True)) for called, points in made.items()
    ]
    return series, f"{setting.label.lower()}{unit}", words


def _are_numbers(places: list[Value]) -> bool:
    return all(isinstance(place, int | float) and not isinstance(place, bool) for place in places)
