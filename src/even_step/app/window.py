"""The window: assembles rail, canvas, sheet and strip; draws menus and keys from the table of actions."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMenuBar,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from even_step.app.actions import ACTIONS, BY_ID, MENUS
from even_step.app.acts.slicing import why_not
from even_step.app.acts.trials import compare_with
from even_step.app.canvas_area import CanvasArea
from even_step.app.desk import Desk, Note
from even_step.app.files import JobFiles
from even_step.app.keeping import Keeping
from even_step.app.marking import part_marks, station_marks
from even_step.app.questions import Questions
from even_step.app.reach import Reach
from even_step.app.stations.layers import LayersStation
from even_step.app.stations.machine import MachineStation
from even_step.app.stations.output import OutputStation
from even_step.app.stations.parts import PartsStation
from even_step.app.stations.recipe import RecipeStation
from even_step.app.stations.supports import SupportsStation
from even_step.app.theme.icons import icon
from even_step.app.theme.style import style_window
from even_step.app.trials import Trial
from even_step.app.view import STATIONS
from even_step.app.view_kept import keep_view, take_up_view
from even_step.app.widgets.rail import Rail
from even_step.app.widgets.recent_menu import RecentMenu
from even_step.app.widgets.sheet import Sheet
from even_step.app.widgets.top_line import TopLine
from even_step.app.widgets.trial_strip import TrialStrip
from even_step.app.widgets.unsaved_menu import UnsavedMenu
from even_step.core.job.beds import number_of_bed
from even_step.core.job.differences import differences
from even_step.core.job.shipped import DATA
from even_step.core.job.spots import has_part

SHEET_WIDTH = 328


class Window(QMainWindow):
    """Assembles; every piece knows the desk, none knows another."""

    def __init__(self, desk: Desk, settings: QSettings) -> None:
        super().__init__()
        self.setWindowTitle("Even Step")
        self.setMinimumSize(1100, 700)
        self.desk, self._settings = desk, settings
        desk.setParent(self)
        self.files = JobFiles(desk, self)
        self.keeping = Keeping(desk, self)
        self.area = CanvasArea(desk)
        self.reach = Reach(desk, self.files, self.area.canvas, Questions(self, settings))
        self._q_actions: dict[str, QAction] = {}
        self._tops: NDArray[np.float64] = np.empty(0)  # of the layers shown last
        self._menus = QMenuBar()
        self._make_actions()
        self._lay_out()
        self._connect()
        self._follow_view("station")
        self._refresh()
        style_window(self, str(DATA / "icons"))
        screen = self.screen().availableGeometry()
        self.resize(min(1280, screen.width()), min(800, screen.height()))
        self.area.canvas.setFocus()
        take_up_view(desk.view, settings)
        geometry = settings.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)

    def _make_actions(self) -> None:
        menus = {name: QMenu(name, self) for name in MENUS}
        for action in ACTIONS:
            made = QAction(action.title, self)
            made.setObjectName(action.id)
            made.setShortcuts([QKeySequence(key) for key in action.keys])
            made.setToolTip(action.tip)
            if action.icon:
                made.setIcon(icon(action.icon))
            made.triggered.connect(lambda _=False, action=action: self.run(action.id))
            if action.menu not in menus:
                above, _, name = action.menu.partition("/")
                menus[action.menu] = menus[above].addMenu(name)
            menus[action.menu].addAction(made)
            self.addAction(made)
            self._q_actions[action.id] = made
        menus["Job"].insertMenu(self._q_actions["file.save"], RecentMenu(self.files, self))
        menus["Job"].insertMenu(self._q_actions["file.save"], UnsavedMenu(self.files, self.keeping, self))
        for name in MENUS:
            self._menus.addMenu(menus[name])

    def _lay_out(self) -> None:
        desk = self.desk
        self.rail, self.strip = Rail(), TrialStrip(desk.trials, desk.name_of_bed)
        self.top = TopLine(desk, self._menus)
        self.parts, self.recipe = PartsStation(desk, self.files), RecipeStation(desk)
        self.layers, self.output = LayersStation(desk), OutputStation(desk, self.files)
        sheets: tuple[Sheet, ...] = (
            MachineStation(desk),
            self.parts,
            self.recipe,
            SupportsStation(desk),
            self.layers,
            self.output,
        )
        self._sheets = QStackedWidget()
        self._sheets.setObjectName("sheet")
        self._sheets.setMinimumWidth(300)
        for sheet in sheets:
            self._sheets.addWidget(sheet)
        self._split = QSplitter(Qt.Orientation.Horizontal)
        self._split.setHandleWidth(1)
        self._split.setChildrenCollapsible(False)
        self._split.addWidget(self.area)
        self._split.addWidget(self._sheets)
        self._split.setStretchFactor(0, 1)
        self._split.setSizes([1280 - SHEET_WIDTH - self.rail.width(), SHEET_WIDTH])
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self._split, 1)
        whole = QWidget()
        whole.setObjectName("paper")
        box = QVBoxLayout(whole)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.top)
        box.addLayout(middle, 1)
        box.addWidget(self.strip)
        self.setCentralWidget(whole)

    def _connect(self) -> None:
        desk = self.desk
        desk.noted.connect(self._tell)
        desk.withdrawn.connect(self.area.notes.withdraw)
        desk.view.changed.connect(self._follow_view)
        for signal in (desk.store.changed, desk.trials.changed, desk.trials.shown_changed, desk.shelf.arrived):
            signal.connect(self._refresh)
        desk.selection.changed.connect(self._enable)
        desk.store.changed.connect(lambda _: self._want_models())
        desk.store.changed.connect(lambda _: self.strip.refresh())
        desk.trials.progressed.connect(self._show_progress)
        desk.trials.shown_changed.connect(self._keep_layers)
        self.files.exporting.seen = lambda: self.area.canvas.picture
        self.area.canvas.collisions.changed.connect(self._mark)
        self.area.canvas.dropped.connect(self.files.bring_in)
        self.files.job_offered.connect(self._ask_about_job)
        self.files.recovered.connect(self.keeping.take_up)
        self.files.left.connect(self.keeping.set_aside)
        self.strip.button.clicked.connect(self._slice_or_cancel)
        self.strip.chosen.connect(self._show_trial)
        self.strip.compared.connect(lambda trial: compare_with(self.reach, trial))
        for piece in (self.top, self.parts, self.layers, self.output, self.area.notes):
            piece.wants.connect(self.run)
        self.layers.reveals.connect(self._reveal_for_line)
        for word, step in self.rail.steps.items():
            step.clicked.connect(lambda _=False, word=word: desk.view.set("station", word))

    def run(self, name: str) -> None:
        """Do an action if it can be done now."""
        action = BY_ID[name]
        if action.can(self.reach):
            action.run(self.reach)

    def _reveal_for_line(self, key: str) -> None:
        """Show a setting where it holds for the line that is asked: for its part, where that has one of its own."""
        story = self.desk.asked_line.story
        part = story.part_id if story and has_part(self.desk.job, story.part_id) else ""
        origins = {one.key: one.origin for one in story.reasons} if story else {}
        self.desk.whose.choose((part,) if part and origins.get(key) in {"part", "zone"} else ())
        self.desk.view.set("station", "Recipe")
        self.recipe.reveal(key)

    def _show_trial(self, trial: Trial) -> None:
        """Show a trial, and the bed it is of if that is still there."""
        self.desk.trials.show(trial)
        number = number_of_bed(self.desk.job, trial.bed)
        if number is not None:
            self.desk.view.set("bed", number)

    def _slice_or_cancel(self) -> None:
        self.run("slice.cancel" if self.desk.trials.running else "slice.run")

    def _follow_view(self, piece: str) -> None:
        if piece == "bed":
            self._refresh()
        if piece in {"plane", "section"}:
            self._enable()
        if piece == "station":
            station = self.desk.view.station
            self.rail.stand_on(station)
            self._sheets.setCurrentIndex(STATIONS.index(station))
            self._enable()

    def _keep_layers(self) -> None:
        """After slicing again the height stays as it was; all layers, where all were shown."""
        trial, view = self.desk.trials.shown, self.desk.view
        if not trial or not trial.lines:
            return
        tops, before = trial.lines.top, self._tops
        first, last = view.layers
        if len(before) == 0 or last >= len(before) - 1:
            last = len(tops) - 1
        else:
            last = int(np.argmin(np.abs(tops - before[last])))
        first = 0 if first == 0 or first >= len(before) else int(np.argmin(np.abs(tops - before[first])))
        if len(before) == 0 and len(self.desk.trials.all) == 1:
            view.set("station", "Layers")  # the first slice of all is looked at
        self._tops = tops
        view.show_layers(first, last, len(tops))

    def _want_models(self) -> None:
        sources = {part.source for part in self.desk.job.parts}
        self.desk.shelf.want(sources, lambda message: self.desk.note(message, "stop"))

    def _tell(self, note: Note) -> None:
        self.area.notes.tell(note, BY_ID[note.remedy].title.rstrip("…") if note.remedy else "")

    def _refresh(self, *_: object) -> None:
        self._enable()
        self._mark()

    def _enable(self) -> None:
        for action in ACTIONS:
            made = self._q_actions[action.id]
            at_station = not action.station or action.station == self.desk.view.station
            made.setEnabled(at_station and action.can(self.reach))
            if action.name:
                made.setText(action.name(self.reach))

    def _mark(self) -> None:
        """Mark stations and parts, and say at the button what will stop a slice."""
        self._show_slice_button()
        self.parts.mark(part_marks(self.desk, self.area.canvas.scene))
        for station, (mark, reason) in station_marks(self.desk, self.area.canvas.scene).items():
            self.rail.steps[station].set_mark(mark, reason)

    def _show_slice_button(self) -> None:
        trials, slice_button = self.desk.trials, self.strip.button
        if trials.running:
            slice_button.setEnabled(not trials.cancelling)
            if trials.cancelling:
                slice_button.say("Stopping…", "", 0.0)
            elif slice_button.share < 0:
                slice_button.say("Cancel", "waiting for the worker", 0.0)
            return
        reason = why_not(self.desk)
        slice_button.setEnabled(not reason)
        below = reason or "F5"
        last = trials.last_of(self.desk.bed)
        if not reason and last:
            changed = differences(last.job, self.desk.job_of_bed)
            below = (
                f"F5 · {len(changed)} change{'s' if len(changed) > 1 else ''}" if changed else "F5 · nothing changed"
            )
        faults = [part.fault for part in self.area.canvas.scene.parts if part.fault]
        if faults and not reason:
            below = f"F5 · will stop: {faults[0]}"
        slice_button.say("Slice", below)

    def _show_progress(self, stage: str, share: float) -> None:
        if self.desk.trials.running and not self.desk.trials.cancelling:
            self.strip.button.say("Cancel", f"{stage} · {share * 100:.0f} %", share)

    def _ask_about_job(self, path: str) -> None:
        """Ask in place whether a job that was dropped is to be opened, or its parts to be added to this one."""
        self.area.notes.offer(
            f"{Path(path).name} is a whole job.",
            "note",
            [
                ("Open it", lambda: self.files.open(path)),
                ("Add its parts", lambda: self.files.add_parts_of(path)),
            ],
        )

    def offer_recovery(self) -> None:
        """Offer the last job that was not saved; all of them stay in the menu until they are taken."""
        left = self.keeping.left_behind()
        if left:
            more = f" {len(left) - 1} more are under Job, Unsaved jobs." if len(left) > 1 else ""
            self.area.notes.offer(
                f"{left[0].title}: this job was not saved. It was kept.{more}",
                "caution",
                [
                    ("Recover it", lambda: self.files.open(str(left[0].path), recovered=True)),
                    ("Forget it", lambda: self.keeping.throw_away(left[:1])),
                ],
            )

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802 - Qt's name
        """Keep the window's settings and stop what runs."""
        focus = QApplication.focusWidget()
        if isinstance(focus, QLineEdit):
            focus.clearFocus()
        self._settings.setValue("geometry", self.saveGeometry())
        keep_view(self.desk.view, self._settings)
        self.keeping.close()
        self.desk.close()
        self.area.canvas.release()
        event.accept()
