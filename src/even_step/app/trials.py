"""Slicing, and the trials it makes: each slice kept with its job, report and lines."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from even_step.app.work.client import Task, WorkerClient
from even_step.app.work.requests import SliceJob
from even_step.core.catalogue.setting import Value
from even_step.core.job.differences import differences
from even_step.core.job.kept_trials import KeptTrial, summary_of
from even_step.core.job.model import Job

MOST_BYTES = 1_000_000_000  # of lines kept for all trials; older ones are made again when they are shown


@dataclass(frozen=True, eq=False)
class TrialLines:
    """What a view of the layers draws; see ``core.toolpath.lines``."""

    points: NDArray[np.float32]
    layer: NDArray[np.int64]
    path: NDArray[np.int32]
    fine_points: NDArray[np.float32]
    fine_layer: NDArray[np.int64]
    fine_path: NDArray[np.int32]
    inside_points: NDArray[np.float32]
    inside_layer: NDArray[np.int64]
    inside_path: NDArray[np.int32]
    upright_points: NDArray[np.float32]
    upright_layer: NDArray[np.int64]
    upright_path: NDArray[np.int32]
    tall_points: NDArray[np.float32]
    tall_layer: NDArray[np.int64]
    tall_path: NDArray[np.int32]
    bulk_points: NDArray[np.float32]
    bulk_layer: NDArray[np.int64]
    bulk_path: NDArray[np.int32]
    tall_since: NDArray[np.int64]
    bulk_since: NDArray[np.int64]
    under_points: NDArray[np.float32]
    under_layer: NDArray[np.int64]
    under_path: NDArray[np.int32]
    face_points: NDArray[np.float32]
    face_layer: NDArray[np.int64]
    face_path: NDArray[np.int32]
    top: NDArray[np.float64]
    thick: NDArray[np.float64]
    layer_time: NDArray[np.float64]
    by_material: NDArray[np.float32]
    by_part: NDArray[np.float32]
    by_zone: NDArray[np.float32]
    by_height: NDArray[np.float32]
    by_width: NDArray[np.float32]
    by_speed: NDArray[np.float32]
    by_flow: NDArray[np.float32]
    by_fan: NDArray[np.float32]
    by_time: NDArray[np.float32]
    by_overhang: NDArray[np.float32]
    path_start: NDArray[np.int64]
    retract: NDArray[np.bool_]
    closed: NDArray[np.bool_]
    lift: NDArray[np.float32]
    path_end_time: NDArray[np.float64]

    @property
    def count(self) -> int:
        """How many layers there are."""
        return len(self.top)

    @property
    def nbytes(self) -> int:
        """How much memory they hold."""
        return sum(int(array.nbytes) for array in vars(self).values())

    @property
    def box(self) -> NDArray[np.float64] | None:
        """Least and largest corner of outer walls and supports, (2, 3), mm; none where there are none."""
        points = self.upright_points[:, :3]
        return np.array([points.min(axis=0), points.max(axis=0)], np.float64) if len(points) else None

    def set_of(self, name: str) -> tuple[NDArray[np.float32], NDArray[np.int64], NDArray[np.int32]]:
        """Return the points of a set, where its layers begin, and the path of each: of the whole, or a simpler one."""
        before = "" if name == "whole" else f"{name}_"
        points, layer, path = (getattr(self, f"{before}{what}") for what in ("points", "layer", "path"))
        return points, layer, path

    def since(self, name: str) -> NDArray[np.int64]:
        """Return from which layer on the lines of a set do not stand for all up to a layer, (L + 1,)."""
        return getattr(self, f"{name}_since")  # type: ignore[no-any-return]

    def of_paths(self, channel: str) -> NDArray[np.float32]:
        """Return the number of each path in a channel, (P,)."""
        return getattr(self, f"by_{channel}")  # type: ignore[no-any-return]


@dataclass(eq=False)
class Trial:
    """One slice of the job.

    ``bed`` is the id of the bed it is of, ``name`` and ``note`` are what the user says of it; of two, that with the
    higher ``turn`` was sliced later.
    """

    number: int
    job: Job
    report: dict[str, Any]
    changed: tuple[str, ...]
    bed: str
    lines: TrialLines | None = field(repr=False)
    name: str = ""
    note: str = ""
    starred: bool = False
    turn: int = 0

    @property
    def title(self) -> str:
        """Its name, or what it changed."""
        return self.name or "; ".join(self.changed)

    @property
    def time(self) -> float:
        """Printing time, s."""
        return float(self.report["time_s"])

    @property
    def mass(self) -> float:
        """Mass of all materials, g."""
        return float(sum(material["mass_g"] for material in self.report["material"]))

    def findings(self, severity: str) -> list[dict[str, Any]]:
        """Return the findings of a severity."""
        return [finding for finding in self.report["findings"] if finding["severity"] == severity]


class Trials(QObject):
    """Asks for slices, newest first, and keeps what they make."""

    changed = Signal()
    progressed = Signal(str, float)
    shown_changed = Signal()
    failed = Signal(str)

    def __init__(self, now: Callable[[], tuple[str, Job]], worker: WorkerClient, parent: QObject | None = None) -> None:
        """``now`` tells the id of the bed in view, and the job that prints it."""
        super().__init__(parent)
        self._now, self._worker = now, worker
        self.all: list[Trial] = []
        self.shown: Trial | None = None
        self._task: Task | None = None
        self._wanted: Trial | None = None  # to be shown once its lines are made again
        self._number = 0
        self._turn = 0
        self._away: list[tuple[int, Trial]] = []  # those taken away, the last one last, and where each was
        self._waiting: list[Job] = []  # to be sliced when the slice under way is done
        self._fault: tuple[Job, str, float] | None = None

    def fault_of(self, job: Job) -> tuple[str, float] | None:
        """Return the part and the height in mm at which a slice of the job failed, if it did."""
        return self._fault[1:] if self._fault and self._fault[0] == job else None

    @property
    def running(self) -> bool:
        """Whether a slice is under way."""
        return self._task is not None

    @property
    def cancelling(self) -> bool:
        """Whether the slice under way was called off and has not stopped yet."""
        return self._task is not None and self._task.state == "cancelling"

    def slice(self) -> None:
        """Slice the job as it is. A slice under way of another job is called off."""
        self._slice(*self._now())

    def slice_with(self, changes: Sequence[Mapping[str, Value]]) -> None:
        """Slice the job with each of some settings changed, one after the other."""
        bed, job = self._now()
        first, *rest = (job.with_settings(dict(change)) for change in changes)
        self._slice(bed, first)
        self._waiting = rest

    def _slice(self, bed: str, job: Job) -> None:
        self._waiting = []
        if self._task and isinstance(self._task.request, SliceJob):
            if self._task.request.job == job and self._task.state != "cancelling":
                return
            self._worker.call_off(self._task)
        self._ask(bed, job, None)

    def _ask(self, bed: str, job: Job, again: Trial | None) -> None:
        def done(report: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> None:
            self._finish(task)
            self._keep(bed, job, report, arrays, again)

        def failed(message: str) -> None:
            self._fault = (job, *task.place) if task.place else None
            self._give_up(task)
            self.failed.emit(message)

        def progress(stage: str, share: float) -> None:
            if task is self._task:
                self.progressed.emit(stage, share)

        task: Task = self._worker.ask(
            SliceJob(job), done=done, failed=failed, progress=progress, cancelled=lambda: self._give_up(task)
        )
        self._task = task
        self.changed.emit()

    def cancel(self) -> None:
        """Call off the slice under way, and those that wait for it."""
        self._waiting = []
        if self._task:
            self._worker.call_off(self._task)
            self.changed.emit()

    def _give_up(self, task: Task) -> None:
        self._waiting = [] if task is self._task else self._waiting
        self._wanted = None
        self._finish(task)

    def _finish(self, task: Task) -> None:
        if task is self._task:
            self._task = None
            self.changed.emit()

    def _keep(
        self, bed: str, job: Job, report: dict[str, Any], arrays: dict[str, NDArray[Any]], again: Trial | None
    ) -> None:
        lines = TrialLines(**{name.replace(" ", "_"): array for name, array in arrays.items()})
        if again:
            again.lines, again.report = lines, report
            if self._wanted is again:
                self._show(again)
            return
        trial = self._trial_of(bed, job, report, lines)
        self._turn += 1
        trial.turn = self._turn
        if bed == self._now()[0]:
            self._show(trial)
        self._drop_lines()
        self.changed.emit()
        if self._waiting:
            self._ask(bed, self._waiting.pop(0), None)

    def _trial_of(self, bed: str, job: Job, report: dict[str, Any], lines: TrialLines) -> Trial:
        """Return the trial that a slice is: a new one, or that of the same job, which has the newer figures then."""
        same = next((one for one in self.all if one.bed == bed and one.job == job), None)
        if same is not None:
            same.report, same.lines = report, lines
            return same
        self._number += 1
        last = self.last_of(bed)
        told = tuple(differences(last.job, job)) if last else ("first slice",)
        trial = Trial(self._number, job, report, told or ("the same settings",), bed, lines)
        self.all.append(trial)
        return trial

    def say_of(self, trial: Trial, **said: Any) -> None:
        """Give a trial a ``name`` or a ``note``, or set whether it is ``starred``."""
        for what, value in said.items():
            setattr(trial, what, value)
        self.changed.emit()

    def take_away(self, trial: Trial) -> None:
        """Take a trial away; the one sliced last before it is shown instead. It can be put back."""
        self._away.append((self.all.index(trial), trial))
        self.all.remove(trial)
        if self._wanted is trial:
            self._wanted = None
        if self.shown is trial:
            self.shown = None
            self.show_last_of(trial.bed)
            self.shown_changed.emit()
        self.changed.emit()

    @property
    def away(self) -> Trial | None:
        """The trial that was taken away last."""
        return self._away[-1][1] if self._away else None

    def put_back(self) -> None:
        """Put back the trial that was taken away last, where it was, and show it."""
        if self._away:
            at, trial = self._away.pop()
            self.all.insert(at, trial)
            self.changed.emit()
            self.show(trial)

    def show(self, trial: Trial) -> None:
        """Show a trial again; its lines are made again where they were let go."""
        if trial.lines is not None:
            self._show(trial)
        elif self._wanted is not trial:
            self._wanted = trial
            self._ask(trial.bed, trial.job, trial)

    def last_of(self, bed: str) -> Trial | None:
        """Return the trial of a bed that was sliced last."""
        return max((trial for trial in self.all if trial.bed == bed), key=lambda trial: trial.turn, default=None)

    def show_last_of(self, bed: str) -> None:
        """Show the last trial of a bed that came into view, unless one of it is shown."""
        coming = self._wanted or self.shown
        if coming is not None and coming.bed == bed:
            return
        last = self.last_of(bed)
        if last is not None:
            self.show(last)
        elif self.shown is not None:
            self.shown = None
            self.shown_changed.emit()

    def _show(self, trial: Trial) -> None:
        self.shown, self._wanted = trial, None
        self.shown_changed.emit()

    def kept(self, beds: tuple[str, ...]) -> tuple[KeptTrial, ...]:
        """Return the trials of some beds as they are kept with a saved job."""
        return tuple(
            KeptTrial(
                number=one.number,
                bed=one.bed,
                changed=one.changed,
                job=one.job,
                report=summary_of(one.report),
                name=one.name,
                note=one.note,
                starred=one.starred,
            )
            for one in sorted(self.all, key=lambda trial: trial.turn)
            if one.bed in beds
        )

    def take(self, kept: tuple[KeptTrial, ...]) -> None:
        """Have the trials that were kept with a job that was opened; their lines are made when they are shown."""
        self._turn, self._away = len(kept), []
        self.all = [
            Trial(one.number, one.job, one.report, one.changed, one.bed, None, one.name, one.note, one.starred, turn)
            for turn, one in enumerate(kept, 1)
        ]
        self.all.sort(key=lambda trial: trial.number)
        self._number = max((one.number for one in kept), default=0)
        self.changed.emit()

    def forget(self) -> None:
        """Begin without trials, for another job was opened."""
        self.cancel()
        self.all, self.shown, self._wanted, self._away = [], None, None, []
        self._number = self._turn = 0
        self.shown_changed.emit()
        self.changed.emit()

    def _drop_lines(self) -> None:
        total = 0
        for trial in reversed(self.all):
            total += trial.lines.nbytes if trial.lines else 0
            if total > MOST_BYTES and trial is not self.shown:
                trial.lines = None
