"""What actions may ask of the window: files, the list of everything, the page of keys, a field."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings

from even_step.app.actions import ACTIONS
from even_step.app.acts.action import Action
from even_step.app.dialogs import REPORTS, FileQuestions
from even_step.app.lay_words import lay_words_of
from even_step.app.report_page import write_report
from even_step.app.trials import Trial
from even_step.app.widgets.comparison import ComparisonPage
from even_step.app.widgets.find import Entry, Find
from even_step.app.widgets.key_page import KeyPage
from even_step.app.widgets.sweep_page import SweepPage
from even_step.core.catalogue import CATALOGUE
from even_step.core.job.differences import value_text

if TYPE_CHECKING:
    from even_step.app.window import Window


class Questions:
    """Asks on behalf of a window."""

    def __init__(self, window: Window, settings: QSettings) -> None:
        self._window = window
        self._files = FileQuestions(window, settings)

    def files_to_bring_in(self) -> list[str]:
        """Ask for model files."""
        return self._files.open_many()

    def shape_of_a_zone(self) -> str:
        """Ask for the file of a zone's shape."""
        return self._files.open_one("Shape of a zone")

    def job_to_open(self) -> str:
        """Ask for a job."""
        return self._files.open_job()

    def where_to_save(self, proposed: str) -> str:
        """Ask where the job goes."""
        return self._files.save("Save the job", proposed, "3mf")

    def where_to_export(self, proposed: str) -> str:
        """Ask where the G-code goes."""
        return self._files.save("Export G-code", proposed, "gcode")

    def open_find(self) -> None:
        """Open the list of everything that can be done or set."""
        found = Find(self._entries(), self._window)
        corner = self._window.top.finder.mapToGlobal(self._window.top.finder.rect().bottomRight())
        found.move(corner.x() - found.width(), corner.y() + 2)
        found.open()
        found.field.setFocus()

    def _entries(self) -> list[Entry]:
        resolved = self._window.desk.resolved
        entries = []
        for key, setting in CATALOGUE.items():
            words = " ".join((setting.label, key, setting.explanation, *setting.synonyms, lay_words_of(key))).lower()
            value = value_text(setting, resolved.values[key])
            entries.append(Entry(setting.label, value, words, self._revealer(key)))
        for action in ACTIONS:
            title = action.name(self._window.reach) if action.name else action.title
            words = " ".join((title, action.title, action.menu, *action.synonyms, lay_words_of(action.id))).lower()
            remark = action.keys[0] if action.keys else action.menu.partition("/")[0]
            entries.append(Entry(title, remark, words, self._runner(action), action.can(self._window.reach)))
        for job in self._window.keeping.left_behind():
            words = f"unsaved job recover {job.title}".lower()
            run = partial(self._window.files.open, str(job.path), recovered=True)
            entries.append(Entry(f"Unsaved job: {job.name}", job.title.rpartition(", ")[2], words, run))
        return entries

    def _revealer(self, key: str) -> Callable[[], None]:
        def reveal() -> None:
            self._window.desk.view.set("station", "Recipe")
            self._window.recipe.reveal(key)

        return reveal

    def _runner(self, action: Action) -> Callable[[], None]:
        return lambda: self._window.run(action.id)

    def show_keys(self) -> None:
        """Show the page of keys."""
        KeyPage(ACTIONS, self._window).open()

    def show_comparison(self, a: Trial, b: Trial) -> None:
        """Show what differs between two trials."""
        page = ComparisonPage(a, b, self._window)
        page.marks.connect(lambda: self._mark_only(a, b))
        page.open()

    def _mark_only(self, a: Trial, b: Trial) -> None:
        self._window.desk.view.set("station", "Layers")
        self._window.desk.only_here.hold(a, b)

    def show_sweep(self) -> None:
        """Show the page of sweeps, beside the window."""
        page = SweepPage(self._window.desk, self._window)
        page.saves.connect(lambda: self._save_table(page))
        page.finished.connect(page.deleteLater)
        page.show()

    def _save_table(self, page: SweepPage) -> None:
        job = self._window.desk.job_of_bed
        path = self._files.save("Save the table", f"{job.name or 'job'} sweep.csv", "csv")
        if path:
            page.save(path)

    def save_report(self) -> None:
        """Ask where the report of the trial shown goes, and write it."""
        window = self._window
        path = self._files.save("Report of the trial", window.files.proposed("pdf"), "pdf", REPORTS)
        if path:
            write_report(window.desk, path, ("As it is seen", window.area.canvas.picture.copy()))

    def focus_field(self, name: str) -> None:
        """Put the keyboard into the fields of a tool."""
        self._window.parts.focus_tool(name)

    def leave(self) -> None:
        """Close the window."""
        self._window.close()
