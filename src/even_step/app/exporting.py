"""What is wished for when G-code is exported: its name, a picture beside it, a command after it."""

from __future__ import annotations

import dataclasses
import json
import shlex
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal
from PySide6.QtGui import QImage

from even_step.app.desk import Desk
from even_step.app.report_page import png_of
from even_step.app.trials import Trial
from even_step.core.errors import EvenStepError
from even_step.core.export_name import USUAL, file_name
from even_step.core.job.beds import bed_count, number_of_bed
from even_step.core.output import write_whole

FILE = "{file}"  # in a command: the exported file


@dataclass(frozen=True)
class ExportWishes:
    """A pattern for names, whether a picture is put beside the file, and a command to run after it."""

    pattern: str = USUAL
    picture: bool = False
    command: str = ""


def read_wishes(path: Path) -> ExportWishes:
    """Return the wishes that were kept; the usual ones where none were, or they cannot be read."""
    try:
        known = json.loads(path.read_text())
        kinds = {"pattern": str, "picture": bool, "command": str}
        return ExportWishes(**{name: known[name] for name, kind in kinds.items() if isinstance(known.get(name), kind)})
    except (OSError, ValueError, AttributeError):
        return ExportWishes()


def facts_of(trial: Trial | None, desk: Desk) -> dict[str, str]:
    """Return what may stand in a name."""
    job = trial.job if trial else desk.job
    facts = {"job": desk.job.name, "machine": job.machine.name, "recipe": job.recipe.name}
    facts |= {"material": " ".join(one.name for one in job.materials), "date": date.today().isoformat()}  # noqa: DTZ011
    number = number_of_bed(desk.job, trial.bed) if trial else None
    facts["bed"] = str((number or 0) + 1)
    if trial is not None:
        minutes = round(trial.time / 60)
        facts |= {
            "trial": str(trial.number),
            "time": f"{minutes // 60}h{minutes % 60:02d}",
            "mass": f"{trial.mass:.0f}g",
        }
    return facts


def name_of(pattern: str, desk: Desk) -> str:
    """Return the name a pattern makes for the trial shown; of several beds it says which.

    Raises
    ------
    SettingError
        When the pattern cannot be a name.
    """
    facts = facts_of(desk.trials.shown, desk)
    if "{bed}" not in pattern and bed_count(desk.job) > 1 and desk.trials.shown is not None:
        pattern += "_bed_{bed}"
    return file_name(pattern, facts)


class Exporting(QObject):
    """Keeps the wishes, and does what is wished for once a file was exported; ``seen`` is what the canvas shows."""

    changed = Signal()

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.seen: Callable[[], QImage] = QImage
        self._kept = desk.state / "output.json"
        self.wishes = read_wishes(self._kept)
        self.told = ""  # what came of the last command
        self._running: QProcess | None = None

    def wish(self, **changes: object) -> None:
        """Change a wish, and keep it for the next time.

        Raises
        ------
        SettingError
            When a pattern cannot be a name.
        """
        wishes = dataclasses.replace(self.wishes, **changes)  # type: ignore[arg-type]
        name_of(wishes.pattern, self._desk)
        self.wishes = wishes
        data = json.dumps(dataclasses.asdict(wishes)).encode()
        self._desk.background.run("wishes", lambda: self._keep(data), lambda _: None)
        self.changed.emit()

    def _keep(self, data: bytes) -> None:
        try:
            self._kept.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self._kept, [data])
        except (OSError, EvenStepError):
            return  # wishes that cannot be kept are no reason to disturb

    def follow(self, path: str) -> None:
        """Do what is wished for beside a file that was exported."""
        if self.wishes.picture:
            picture, beside = png_of(self.seen()), Path(path).with_suffix(".png")
            self._desk.background.run(f"picture {beside}", lambda: _written(beside, picture), self._tell)
        if self.wishes.command.strip():
            self._run(path)

    def _tell(self, fault: str) -> None:
        if fault:
            self._desk.note(fault, "stop", stays=True)

    def _run(self, path: str) -> None:
        """Run the command without a shell: what it is given is one word, whatever the file is called."""
        try:
            program, *words = shlex.split(self.wishes.command)
        except ValueError as error:
            self._say(f"The command cannot be run: {error}.", failed=True)
            return
        words = [word.replace(FILE, path) for word in words]
        process = QProcess(self)
        process.finished.connect(lambda code, _: self._finished(process, code))
        process.errorOccurred.connect(lambda _: self._failed(process, program))
        self._running = process
        process.start(program, words)

    def _finished(self, process: QProcess, code: int) -> None:
        said = bytes(process.readAllStandardError().data()).decode(errors="replace").strip().splitlines()
        last = f": {said[-1][:200]}" if said else ""
        failed = code != 0 or process.exitStatus() == QProcess.ExitStatus.CrashExit
        self._say(f"The command failed ({code}){last}." if failed else "The command is done.", failed=failed)

    def _failed(self, process: QProcess, program: str) -> None:
        if process.error() == QProcess.ProcessError.FailedToStart:
            self._say(f"The command cannot be run: {program} is not there, or no program.", failed=True)

    def _say(self, text: str, *, failed: bool) -> None:
        self.told, self._running = text, None
        if failed:
            self._desk.note(text, "stop", stays=True)
        self.changed.emit()


def _written(path: Path, data: bytes) -> str:
    """Write a file whole; returns what is wrong, if anything is."""
    try:
        write_whole(path, [data])
    except EvenStepError as error:
        return str(error)
    return ""
