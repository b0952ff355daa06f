"""Autosave: the job's text every two seconds, and what a killed or unsaved session left behind."""

from __future__ import annotations

import os
import re
import shutil
import threading
import time
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from even_step.app.desk import Desk
from even_step.core.errors import EvenStepError
from even_step.core.job.model import Job
from even_step.core.job.text import job_text
from even_step.core.output import write_whole

EVERY = 2000  # ms
SAVED = "save"  # the change of a job that was saved
UNSAVED = "unsaved"  # how the names of jobs begin that a window was closed with
NAME = re.compile(r'^name = "([^"\n]{1,200})"', re.MULTILINE)
OLD = 14 * 24 * 3600.0  # s


@dataclass(frozen=True)
class Unsaved:
    """A job that was not saved: its file, its name, and when it was last worked on, s."""

    path: Path
    name: str
    when: float

    @classmethod
    def of(cls, path: Path) -> Unsaved:
        """Look at a file; only its first lines are read."""
        try:
            with path.open(encoding="utf-8", errors="replace") as file:
                head = file.read(2000)
            when = path.stat().st_mtime
        except OSError:
            head, when = "", 0.0
        found = NAME.search(head)
        return cls(path, found[1] if found else "job", when)

    @property
    def title(self) -> str:
        """Its name, and when it was last worked on."""
        return f"{self.name}, {time.strftime('%d %b %H:%M', time.localtime(self.when))}"


class Keeping(QObject):
    """Writes the job beside the window while it is being worked on; the file goes when the window closes."""

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._folder = desk.state / "recovery"
        self._file = self._folder / f"{os.getpid()}.toml"
        self._lock = threading.Lock()  # whoever changes the file holds it
        self._wanted: Job | None = None  # the job that is to be in the file
        self._taken_up: list[Path] = []  # files of jobs that were recovered: gone once the job is in our own
        self._aside: list[tuple[Job, Path]] = []
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.keep)
        self._timer.start()
        desk.store.changed.connect(lambda change: self.keep() if change.name == SAVED else None)

    def keep(self) -> None:
        """Write the job if it has changed since it was last written or saved."""
        job = self._desk.job
        if any(not path.exists() for _, path in self._aside):
            return  # the job that was here before is still on its way to disk, and our file may be all there is of it
        if self._desk.store.is_saved or not job.parts:
            self._forget(job)
        elif job is not self._wanted:
            self._wanted = job
            self._desk.background.run("autosave", lambda: self._write(job), lambda fault: self._written(job, fault))

    def take_up(self, path: str) -> None:
        """Go on with a job that was recovered from a file, which is let go once the job has been written anew."""
        self._taken_up.append(Path(path))
        self.keep()

    def set_aside(self, job: Job) -> None:
        """Keep a job that was not saved, for another one takes its place."""
        path = self._unsaved_file()
        self._aside.append((job, path))

        def written(fault: str) -> None:
            self._tell(fault)
            if fault:
                self._aside.remove((job, path))

        self._desk.background.run(str(path), lambda: _fault_of(path, job), written)

    def _forget(self, job: Job) -> None:
        """Let go of what is on disk of a job that was saved; an autosave in flight writes no more."""
        with self._lock:
            self._wanted = None
            self._file.unlink(missing_ok=True)
        if job.parts:
            self._let_go([*self._taken_up, *(path for one, path in self._aside if one == job)])
            self._taken_up, self._aside = [], [(one, path) for one, path in self._aside if one != job]

    def _write(self, job: Job) -> str:
        with self._lock:
            return _fault_of(self._file, job) if self._wanted is job else ""

    def _written(self, job: Job, fault: str) -> None:
        self._tell(fault)
        if not fault and self._wanted is job:
            self._let_go(self._taken_up)
            self._taken_up = []

    @staticmethod
    def _let_go(paths: list[Path]) -> None:
        for path in paths:
            path.unlink(missing_ok=True)

    def _tell(self, fault: str) -> None:
        if fault:
            self._desk.note(f"The job could not be kept safe: {fault}", "caution", "file.save")

    def _unsaved_file(self) -> Path:
        return self._folder / f"{UNSAVED}-{time.time_ns()}-{os.getpid()}.toml"

    def left_behind(self) -> list[Unsaved]:
        """Return the jobs that were not saved, of all sessions that have ended, the last first."""
        ours = {self._file, *self._taken_up}
        found = [path for path in self._folder.glob("*.toml") if path not in ours and not _runs(path.stem)]
        return sorted((Unsaved.of(path) for path in found), key=lambda one: one.when, reverse=True)

    @staticmethod
    def throw_away(jobs: list[Unsaved]) -> None:
        """Delete jobs that were not saved."""
        for job in jobs:
            job.path.unlink(missing_ok=True)

    def sweep(self) -> None:
        """Let go of kept models that no session has used for long and no kept job names; beside the window."""
        models, folder = self._desk.shelf.folder, self._folder
        self._desk.background.run("sweep", lambda: _sweep(models, folder), lambda _: None)

    def close(self) -> None:
        """End on our own. What was not saved stays, to be offered at the next start; nothing asks on leaving."""
        self._timer.stop()
        job = self._desk.job
        for one, path in self._aside:
            if not path.exists():
                _fault_of(path, one)
        fault = ""
        if job.parts and not self._desk.store.is_saved:
            fault = _fault_of(self._unsaved_file(), job)
        if not fault:
            self._forget(job)


def _fault_of(path: Path, job: Job) -> str:
    """Write a job; returns what is wrong, or nothing."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, [job_text(job).encode()])
    except (OSError, EvenStepError) as error:
        return str(error)
    return ""


def _sweep(models: Path, kept_jobs: Path) -> int:
    """Remove old models; returns how many."""
    named = "".join(path.read_text(errors="replace") for path in kept_jobs.glob("*.toml"))
    too_old = time.time() - OLD
    gone = 0
    for folder in models.glob("*"):
        files = list(folder.glob("*"))
        if str(folder) not in named and all(file.stat().st_mtime < too_old for file in files):
            shutil.rmtree(folder, ignore_errors=True)
            gone += 1
    return gone


def _runs(pid: str) -> bool:
    return pid.isdigit() and Path(f"/proc/{pid}/cmdline").exists() and b"even_step" in _command(pid)


def _command(pid: str) -> bytes:
    try:
        return Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return b""
