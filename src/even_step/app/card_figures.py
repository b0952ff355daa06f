"""Time and mass of the job with each recipe, measured in the background while the station Recipe is open."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any, NamedTuple

from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from even_step.app.asked import Sources
from even_step.app.trials import Trials
from even_step.app.work.client import Task
from even_step.app.work.requests import MeasureJob
from even_step.core.job.beds import on_bed
from even_step.core.job.cascade import cascade, complaints
from even_step.core.job.model import Job, Recipe
from even_step.core.trials.figures import Row

REST = 600  # ms nothing must have changed
TOO_LONG = 30.0  # s a measurement may take: a job that takes longer is sliced when its maker asks for it


class CardFigure(NamedTuple):
    """What a job takes with a recipe; not ``exact`` where the job has changed since it was measured."""

    time: float
    mass: float
    exact: bool


class CardFigures(QObject):
    """One figure a recipe; a slice that is asked for comes first, and what is outdated is called off."""

    changed = Signal()

    def __init__(
        self, sources: Sources, trials: Trials, recipes: Sequence[Recipe], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._sources, self._trials, self._recipes = sources, trials, recipes
        self._known: dict[str, tuple[Job, float, float]] = {}
        self._task: Task | None = None
        self._failed: dict[str, Job] = {}
        self._too_long = False
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._go_on)
        sources.store.changed.connect(lambda _: self._begin_anew())
        sources.view.changed.connect(lambda piece: self._begin_anew() if piece in {"station", "bed"} else None)
        sources.shelf.arrived.connect(lambda _: self._begin_anew())
        trials.changed.connect(self._give_way)

    @property
    def _job(self) -> Job:
        return on_bed(self._sources.store.job, self._sources.view.bed)

    def of(self, recipe: Recipe) -> CardFigure | None:
        """Return what is known of the job in view with a recipe: of a trial of it, or as it was measured."""
        like = self._job.model_copy(update={"recipe": recipe})
        trial = next((one for one in reversed(self._trials.all) if one.job == like), None)
        if trial is not None:
            return CardFigure(trial.time, trial.mass, exact=True)
        known = self._known.get(recipe.name)
        return CardFigure(known[1], known[2], exact=known[0] == like) if known else None

    def forget(self) -> None:
        """Let go of everything, for another job was opened."""
        self._call_off()
        self._known, self._failed, self._too_long = {}, {}, False

    def _begin_anew(self) -> None:
        self._call_off()
        self._rest.start()

    def _give_way(self) -> None:
        """Let a slice go first; go on when it is done."""
        if self._trials.running:
            self._call_off()
        self._rest.start()

    def _call_off(self) -> None:
        if self._task is not None:
            self._sources.worker.call_off(self._task)
            self._task = None

    def _wanted(self) -> tuple[Recipe, Job] | None:
        """Return the next recipe to measure, the chosen one first; none where all are known, or it is not the time."""
        job, sources = self._job, self._sources
        idle = sources.view.station == "Recipe" and not self._trials.running and not self._too_long
        if not idle or not job.parts or not sources.shelf.has_all(job.parts):
            return None
        for recipe in sorted(self._recipes, key=lambda one: one.name != job.recipe.name):
            like = job.model_copy(update={"recipe": recipe})
            known = self.of(recipe)
            if (known is not None and known.exact) or self._failed.get(recipe.name) == like:
                continue
            if not complaints(like, cascade(like)):
                return recipe, like
        return None

    def _go_on(self) -> None:
        wanted = self._wanted()
        if wanted is None or self._task is not None:
            return
        recipe, job = wanted
        begun = time.monotonic()

        def done(row: Row, _: dict[str, NDArray[Any]]) -> None:
            if task is self._task:
                self._task = None
                self._too_long = time.monotonic() - begun > TOO_LONG
                self._known[recipe.name] = job, float(row["time_s"]), float(row["mass_g"])
                self.changed.emit()
                self._go_on()

        def failed(_: str) -> None:
            if task is self._task:
                self._task = None
                self._failed[recipe.name] = job  # why is told when it is sliced
                self._go_on()

        task: Task = self._sources.worker.ask(MeasureJob(job), done=done, failed=failed)
        self._task = task
