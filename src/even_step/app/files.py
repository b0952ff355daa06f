"""The job and its files: bring in, open, save, export; what was opened before."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from even_step.app.acts.placing import place_new
from even_step.app.desk import Desk
from even_step.app.exporting import Exporting, name_of
from even_step.app.shelf import ShelfModel
from even_step.app.work.client import Task
from even_step.app.work.requests import ExportGcode, Opened, OpenJob, SaveJob
from even_step.core.errors import EvenStepError
from even_step.core.export_name import USUAL, file_name
from even_step.core.job.edits import added, with_mark
from even_step.core.job.model import Copy, Job, Machine, Material, Part, Recipe
from even_step.core.job.shipped import DATA, find
from even_step.core.job.spots import first_spot, spots_of
from even_step.core.job.text import DEFAULT_MACHINE, DEFAULT_MATERIAL, DEFAULT_RECIPE, is_job_file
from even_step.core.job.value import name_from
from even_step.core.output import write_whole
from even_step.core.work import Crew

MOST_RECENT = 8
DEMO = DATA / "demo" / "weather_post.toml"


def new_job() -> Job:
    """Return a job without parts, on the machine that ships first."""
    return Job(
        name="new job",
        machine=find(Machine, DEFAULT_MACHINE),
        materials=(find(Material, DEFAULT_MATERIAL),),
        recipe=find(Recipe, DEFAULT_RECIPE),
    )


def is_job(path: str) -> bool:
    """Whether a file is a whole job rather than a model."""
    try:
        return Path(path).suffix.lower() == ".toml" or is_job_file(Path(path))
    except EvenStepError:
        return False  # reading it says what is wrong


class JobFiles(QObject):
    """Moves jobs and models between disk and desk, through the worker."""

    reading_changed = Signal()
    got_on = Signal(str, float)
    path_changed = Signal()
    exported = Signal(str)
    job_offered = Signal(str)
    recovered = Signal(str)
    left = Signal(object)  # a job that was not saved, for another one

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.path = ""
        self.reading: dict[str, Task] = {}
        self.last_export = ""
        self.exporting = Exporting(desk, self)
        self._recent_file = desk.state / "recent.json"
        self._brought_in: set[Path] = set()

    def new(self) -> None:
        """Begin another job as at a first start, on the same machine with the same materials."""
        before, fresh = self._desk.job, new_job()
        self._take(fresh.model_copy(update={"machine": before.machine, "materials": before.materials}), "")
        self._desk.view.reset_for_new_job()
        self._desk.curving.open(opened=False)
        self._desk.note(f"New job with recipe {fresh.recipe.name}. {before.machine.name} and its materials were kept.")

    def open_demo(self) -> None:
        """Open the job that ships with the program."""
        self.open(str(DEMO))

    def open(self, path: str, *, recovered: bool = False) -> None:
        """Open a job; what was on the desk before comes back with undo."""

        def done(opened: Opened, _: object) -> None:
            self._end(path)
            self._take(opened.job, "" if recovered or opened.told or not path.endswith(".3mf") else path)
            self._desk.trials.take(opened.trials)
            for line in opened.told:
                self._desk.note(line, "caution")
            if recovered:
                self._desk.store.mark_unsaved()
                self.recovered.emit(path)
            else:
                self._remember(path)

        request = OpenJob(path, str(self._desk.shelf.folder))
        self._begin(path, self._ask_for(request, path, done))

    def _ask_for(self, request: OpenJob, path: str, done: Callable[..., None]) -> Task:
        return self._desk.worker.ask(request, done=done, failed=self._failure(path), cancelled=lambda: self._end(path))

    def _take(self, job: Job, path: str) -> None:
        if self._desk.job.parts and not self._desk.store.is_saved:
            self.left.emit(self._desk.job)
        self.path = path
        self._desk.selection.pick(())
        self._desk.whose.choose(())
        self._desk.measuring.clear()
        self._desk.view.set("bed", 0)
        self._desk.view.set("pin", -1)
        self._desk.trials.forget()
        self._desk.sweeping.forget()
        self._desk.card_figures.forget()
        self._desk.store.open(job)
        self.path_changed.emit()

    def add_parts_of(self, path: str) -> None:
        """Add the parts of another job to this one, where there is room; machine and settings stay."""

        def done(opened: Opened, _: object) -> None:
            self._end(path)
            free = {"at": None, "bed": self._desk.view.bed, "locked": False}
            parts = with_mark(opened.job, spots_of(opened.job), **free).parts

            def place() -> None:
                if self._desk.shelf.has_all(parts):
                    self._desk.shelf.arrived.disconnect(arrived)
                    add()

            def add() -> None:
                job = added(self._desk.job, parts)
                place_new(self._desk, f"add the parts of {opened.job.name}", job, again=add)

            arrived = self._desk.shelf.arrived.connect(lambda _: place())
            self._desk.shelf.want({part.source for part in parts}, lambda message: self._desk.note(message, "stop"))
            place()

        request = OpenJob(path, str(self._desk.shelf.folder))
        self._begin(path, self._ask_for(request, path, done))

    def bring_in(self, paths: Sequence[str]) -> None:
        """Bring in models, all in one step; for a job it is asked whether to open it, unless the bed is empty."""
        for path in paths:
            if is_job(path) and self._desk.job.parts:
                self.job_offered.emit(path)
            elif is_job(path):
                self.open(path)
        models = [path for path in paths if not is_job(path)]
        read: dict[str, tuple[str, tuple[ShelfModel, ...]]] = {}
        refused: dict[str, str] = {}
        waiting = set(models)

        def gone(path: str) -> None:
            self._end(path)
            waiting.discard(path)
            if not waiting and refused:
                self._tell_refused(refused, len(models))
            if not waiting and read:
                self._add([read[p] for p in models if p in read])

        def take(path: str) -> Callable[[str, tuple[ShelfModel, ...]], None]:
            def then(kept: str, found: tuple[ShelfModel, ...]) -> None:
                read[path] = kept, found
                self._brought_in.add(Path(path).resolve())
                self._remember(path)
                gone(path)

            return then

        def fail(path: str) -> Callable[[str], None]:
            def failed(message: str) -> None:
                refused[path] = message.removeprefix(f"{path}: ")
                gone(path)

            return failed

        for path in dict.fromkeys(models):
            task = self._desk.shelf.read(
                (path, "winding"),
                take(path),
                fail(path),
                cancelled=lambda path=path: gone(path),
                progress=lambda _, share, path=path: self.got_on.emit(path, share),
            )
            self._begin(path, task)

    def read(self, path: str, then: Callable[[str, tuple[ShelfModel, ...]], None]) -> None:
        """Read a model for another use than a part; ``then`` gets the name under which it is kept, and its models."""

        def done(kept: str, found: tuple[ShelfModel, ...]) -> None:
            self._end(path)
            then(kept, found)

        task = self._desk.shelf.read(
            (path, "winding"),
            done,
            self._failure(path),
            cancelled=lambda: self._end(path),
            progress=lambda _, share: self.got_on.emit(path, share),
        )
        self._begin(path, task)

    def _tell_refused(self, refused: dict[str, str], all_in_all: int) -> None:
        """List what could not be read, each file by its own name with its reason."""
        told = [f"{Path(path).name}: {reason}" for path, reason in refused.items()]
        if all_in_all > 1:
            told.insert(0, f"{len(refused)} of {all_in_all} files could not be read.")
        self._desk.note("\n".join(told), "stop", stays=True)

    def call_off(self, path: str) -> None:
        """Stop reading a file; what else is being brought in comes without it."""
        if path in self.reading:
            self._desk.worker.call_off(self.reading[path])

    def _add(self, read: list[tuple[str, tuple[ShelfModel, ...]]]) -> None:
        here = (Copy(bed=self._desk.view.bed),)
        parts = [
            Part.model_validate(
                {"name": name_from(model.name), "file": kept, "object": i, "unit": model.unit, "copies": here}
            )
            for kept, models in read
            for i, model in enumerate(models)
        ]
        self._tell_faults([model for _, models in read for model in models])
        job = added(self._desk.job, parts)
        if not self._desk.job.parts and job.name == "new job":
            job = job.model_copy(update={"name": parts[0].name})
        what = parts[0].name if len(parts) == 1 else f"{len(parts)} parts"
        spots = [first_spot(part) for part in job.parts[len(self._desk.job.parts) :]]
        place_new(self._desk, f"bring in {what}", job, spots, again=lambda: self._add(read))

    def _tell_faults(self, models: list[ShelfModel]) -> None:
        """Tell what was mended of models that came in, and what was not."""
        faulty = [model for model in models if model.repairs or model.warnings]
        if len(faulty) == 1:
            text = f"{faulty[0].name}: {', '.join((*faulty[0].repairs, *faulty[0].warnings))}"
        elif faulty:
            text = f"{len(faulty)} parts have faults in their meshes: pick one to see what was mended"
        else:
            return
        self._desk.note(text, "caution" if any(model.warnings for model in faulty) else "note")

    def _begin(self, path: str, task: Task) -> None:
        self.reading[path] = task
        self.reading_changed.emit()

    def _end(self, path: str) -> None:
        self.reading.pop(path, None)
        self.reading_changed.emit()

    def _failure(self, path: str) -> Callable[[str], None]:
        def failed(message: str) -> None:
            self._end(path)
            self._desk.note(message, "stop", stays=True)

        return failed

    def proposed(self, suffix: str) -> str:
        """Propose a file name for the job that says what it is."""
        if suffix == "gcode":
            return f"{name_of(self.exporting.wishes.pattern, self._desk)}.{suffix}"
        return f"{file_name(USUAL, {'job': self._desk.job.name})}.{suffix}"

    def _would_replace_a_model(self, path: str) -> bool:
        """Refuse to write over a model that was brought in."""
        if Path(path).resolve() not in self._brought_in:
            return False
        name = Path(path).name
        self._desk.note(f"{name} is a model you brought in. Choose another name.", "stop", stays=True)
        return True

    def save(self, path: str) -> None:
        """Save the job as one file."""
        path = path if path.lower().endswith(".3mf") else f"{path}.3mf"
        if self._would_replace_a_model(path):
            return
        job = self._desk.job
        request = SaveJob(job, path, self._desk.trials.kept(job.beds))

        def done(*_: Any) -> None:
            self._end(path)
            self.path = path
            self._desk.store.mark_saved(job)
            self._remember(path)
            self.path_changed.emit()
            self._desk.note(f"Saved {Path(path).name}")

        if self._desk.worker.gone:
            self._save_here(request, done)
        else:
            self._begin(path, self._desk.worker.ask(request, done=done, failed=self._failure(path)))

    def _save_here(self, request: SaveJob, done: Callable[..., None]) -> None:
        """Save in a thread of the window, where no worker is to be had any more."""

        def work() -> str:
            from even_step.app.work.duties import Memory, save_job  # noqa: PLC0415 - the worker's modules load only now

            try:
                save_job(request, Memory(), Crew(1))
            except EvenStepError as error:
                return str(error)
            return ""

        self._desk.background.run("save", work, lambda fault: self._failure(request.path)(fault) if fault else done())

    def export(self, path: str, *, force: bool = False) -> None:
        """Export the G-code of the trial that is shown."""
        trial = self._desk.trials.shown
        if trial is None:
            return
        path = path if Path(path).suffix else f"{path}.gcode"
        if self._would_replace_a_model(path):
            return

        def done(size: int, _: object) -> None:
            self._end(path)
            self.last_export = f"{Path(path).name}, {size / 1e6:.1f} MB, trial {trial.number}"
            self.exported.emit(path)
            self._desk.note(f"Exported {self.last_export}")
            self.exporting.follow(path)

        request = ExportGcode(trial.job, path, force)
        self._begin(path, self._desk.worker.ask(request, done=done, failed=self._failure(path)))

    @property
    def recent(self) -> list[str]:
        """Files that were opened or saved, the last first, those that are still there."""
        try:
            known = json.loads(self._recent_file.read_text())
        except (OSError, ValueError):
            return []
        return [path for path in known if isinstance(path, str) and Path(path).exists()][:MOST_RECENT]

    def _remember(self, path: str) -> None:
        if Path(path).is_relative_to(DATA):
            return
        known = [str(Path(path).resolve()), *(p for p in self.recent if p != str(Path(path).resolve()))]
        try:
            self._recent_file.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self._recent_file, [json.dumps(known[:MOST_RECENT]).encode()])
        except (OSError, EvenStepError):
            return  # a list of names that cannot be kept is no reason to disturb
