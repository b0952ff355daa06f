"""Everything the window works on, without a widget: the job, what is picked, the worker, the trials, the view."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from even_step.app.asked import Sources
from even_step.app.asked_line import AskedLine
from even_step.app.background import Background
from even_step.app.card_figures import CardFigures
from even_step.app.code_beside import CodeBeside
from even_step.app.curving import Curving
from even_step.app.cut_open import CutOpen
from even_step.app.foreseen import ForeseenSupports
from even_step.app.foreseen_heights import ForeseenHeights
from even_step.app.foreseen_texture import ForeseenTexture
from even_step.app.layer_rule import LayerRule
from even_step.app.measuring import Measuring
from even_step.app.only_here import OnlyHere
from even_step.app.selection import Selection
from even_step.app.shadows import Shadows
from even_step.app.shelf import ModelShelf, Stand
from even_step.app.store import JobStore
from even_step.app.sweeping import Sweeping
from even_step.app.trials import Trials
from even_step.app.view import View
from even_step.app.whose import Whose
from even_step.app.work.client import WorkerClient
from even_step.app.work.entry import Started
from even_step.app.zoning import Zoning
from even_step.core.errors import SettingError
from even_step.core.job.beds import bed_count, number_of_bed, on_bed, spots_on
from even_step.core.job.cascade import Resolved, cascade, complaints, complaints_of_parts
from even_step.core.job.model import Job, Recipe
from even_step.core.job.shipped import shipped
from even_step.core.job.spots import Spot, copy_at, part_of, stood

NOT_RESPONDING = "The worker process is not responding. Nothing is lost."


@dataclass(frozen=True)
class Note:
    """A message to the user; ``remedy`` is the id of an action offered as a button.

    A note that ``stays`` is not about the job as it is, and so does not go when the job changes.
    """

    text: str
    severity: str = "note"
    remedy: str = ""
    stays: bool = False


class Desk(QObject):
    """Holds the pieces; each knows only those it was given."""

    noted = Signal(object)
    withdrawn = Signal(str)  # the text of a note whose cause is gone

    def __init__(self, job: Job, state: Path, worker: Started | None = None, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state = state
        self.store = JobStore(job, self)
        self.view = View(self)
        self.selection = Selection(self.store, self)
        self.whose = Whose(self.store, self)
        self.zoning = Zoning(self.store, self)
        self.worker = WorkerClient(worker, self)
        self.background = Background(self)
        self.shelf = ModelShelf(self.worker, state / "models", self)
        self.measuring = Measuring(self.store, self.shelf, self)
        self.shadows = Shadows(self.shelf)
        sources = Sources(self.store, self.view, self.shelf, self.worker)
        self.foreseen = ForeseenSupports(sources, self)
        self.foreseen_heights = ForeseenHeights(sources, self)
        self.foreseen_texture = ForeseenTexture(sources, self)
        self.cut_open = CutOpen(sources, self)
        self.trials = Trials(lambda: (self.bed, self.job_of_bed), self.worker, self)
        self.rule = LayerRule(self.trials, self.view, self)
        self.code_beside = CodeBeside(self.trials, self.view, self.worker, self)
        self.asked_line = AskedLine(self.trials, self.worker, self)
        self.card_figures = CardFigures(sources, self.trials, tuple(shipped(Recipe).values()), self)
        self.only_here = OnlyHere(self.trials, self.view, self.background, self)
        self.sweeping = Sweeping(self.worker, self)
        self.curving = Curving(self.store, self.view, self.selection, self.trials, self)
        self.store.changed.connect(self._keep_bed)
        self.view.changed.connect(self._follow_bed)
        self._of_bed: tuple[Job, int, Job] | None = None
        self._resolved: tuple[Job, Resolved, dict[str, SettingError]] | None = None
        self.worker.lost.connect(lambda text: self.note(text, "caution", stays=True))
        self.worker.stuck_changed.connect(self._tell_stuck)
        self.trials.failed.connect(self._tell_failure)

    def _tell_stuck(self) -> None:
        """Say that the worker does not answer, for as long as it does not; another one loses only what it was doing."""
        if self.worker.stuck:
            self.note(NOT_RESPONDING, "caution", "slice.replace", stays=True)
        else:
            self.withdrawn.emit(NOT_RESPONDING)

    def _tell_failure(self, text: str) -> None:
        """Say why a slice failed, and pick the part it failed at."""
        self.note(text, "stop")
        fault = self.trials.fault_of(self.job_of_bed)
        if fault:
            self.view.set("station", "Parts")
            self.selection.pick([spot for spot, part, _ in stood(self.job) if part.name == fault[0]])

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self.store.job

    @property
    def bed(self) -> str:
        """The id of the bed in view."""
        return self.job.beds[self.view.bed]

    def name_of_bed(self, bed: str) -> str:
        """Say which bed an id is of."""
        number = number_of_bed(self.job, bed)
        return "a former bed" if number is None else f"bed {number + 1}"

    @property
    def job_of_bed(self) -> Job:
        """The job that prints the bed in view alone."""
        if self._of_bed is None or self._of_bed[0] is not self.job or self._of_bed[1] != self.view.bed:
            self._of_bed = self.job, self.view.bed, on_bed(self.job, self.view.bed)
        return self._of_bed[2]

    @property
    def spots(self) -> list[Spot]:
        """The copies on the bed in view."""
        return spots_on(self.job, self.view.bed)

    def _keep_bed(self, _: object) -> None:
        """Stay on a bed that there is."""
        self.view.set("bed", min(self.view.bed, bed_count(self.job) - 1))

    def _follow_bed(self, piece: str) -> None:
        if piece == "bed":
            self.measuring.clear()
            here = set(self.spots)
            self.selection.pick(spot for spot in self.selection.spots if spot in here)
            self.trials.show_last_of(self.bed)

    @property
    def resolved(self) -> Resolved:
        """Every setting's value and where it comes from."""
        return self._resolve()[1]

    def resolved_of(self, name: str) -> Resolved:
        """Every setting's value for a part."""
        part = part_of(self.job, name)
        return cascade(self.job, part) if part.settings else self.resolved

    @property
    def complaints(self) -> dict[str, SettingError]:
        """What is wrong with values, by key: the job's, then those of parts."""
        return self._resolve()[2]

    def _resolve(self) -> tuple[Job, Resolved, dict[str, SettingError]]:
        if self._resolved is None or self._resolved[0] is not self.job:
            resolved = cascade(self.job)
            wrong = complaints(self.job, resolved)
            of_parts = {one.subject: one for one in complaints_of_parts(self.job)}
            self._resolved = self.job, resolved, {**of_parts, **wrong}
        return self._resolved

    def note(self, text: str, severity: str = "note", remedy: str = "", *, stays: bool = False) -> None:
        """Tell the user something."""
        self.noted.emit(Note(text, severity, remedy, stays))

    def stand(self, spot: Spot) -> Stand | None:
        """Return how a copy stands, none while its model is not read yet."""
        return self.shelf.stand_of(part_of(self.job, spot.part), copy_at(self.job, spot))

    def close(self) -> None:
        """Stop everything that runs."""
        self.background.close()
        self.worker.close()
