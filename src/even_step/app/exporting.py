"""What is wished for when G-code is exported: its name, a picture beside it, a command after it."""

from __future__ import annotations

import contextlib
import dataclasses
import json
import shlex
import subprocess
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from even_step.app.desk import Desk
from even_step.app.report_page import png_of
from even_step.app.trials import Trial
from even_step.app.written import written
from even_step.core.errors import EvenStepError, SettingError
from even_step.core.export_name import USUAL, file_name
from even_step.core.job.beds import bed_count, number_of_bed
from even_step.core.output import write_whole

MOST_SAID = 200  # letters of what a command says last
FILE = "{file}"  # in a command: the exported file


@dataclass(frozen=True)
class ExportWishes:
    """A pattern for names, whether a picture is put beside the file, and a command to run after it."""

    pattern: str = USUAL
    picture: bool = False
    command: str = ""


def read_wishes(path: Path) -> ExportWishes:
    """Return the wishes that were kept; the usual ones where none were, or they cannot be read."""
    kinds = {"pattern": str, "picture": bool, "command": str}
    try:
        known = json.loads(path.read_text())
        kept = {name: known[name] for name, kind in kinds.items() if isinstance(known.get(name), kind)}
        file_name(kept.get("pattern", USUAL), {})
    except (OSError, ValueError, AttributeError, SettingError):
        return ExportWishes()
    return ExportWishes(**kept)


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
    _ended = Signal(str, bool)

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.seen: Callable[[], QImage] = QImage
        self._kept = desk.state / "output.json"
        self.wishes = read_wishes(self._kept)
        self.told = ""  # what came of the last command
        self._ended.connect(self._end)

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
            self._desk.background.run(f"picture {beside}", lambda: written(beside, picture), self._tell)
        if self.wishes.command.strip():
            self._run(path)

    def _tell(self, fault: str) -> None:
        if fault:
            self._desk.note(fault, "stop", stays=True)

    def _run(self, path: str) -> None:
        """Run the command without a shell: what it is given is one word, whatever the file is called.

        It goes on when the window is closed.
        """
        try:
            program, *words = shlex.split(self.wishes.command)
        except ValueError as error:
            self._end(f"The command cannot be run: {error}.", True)
            return
        words = [word.replace(FILE, path) for word in words]
        thread = threading.Thread(target=self._wait_for, args=(program, words), name="after export", daemon=True)
        thread.start()

    def _wait_for(self, program: str, words: list[str]) -> None:
        with tempfile.TemporaryFile() as said:
            try:
                process = subprocess.Popen(
                    [program, *words],
                    stdin=subprocess.DEVNULL,
                    stdout=subprocess.DEVNULL,
                    stderr=said,
                    start_new_session=True,
                )
            except OSError as error:
                text, failed = f"The command cannot be run: {program}: {error.strerror}.", True
            else:
                failed = process.wait() != 0
                said.seek(0)
                last = (said.read().decode(errors="replace").strip().splitlines() or [""])[-1][:MOST_SAID]
                text = f"The command failed ({process.returncode}): {last}" if failed else "The command is done."
        with contextlib.suppress(RuntimeError):  # the window may be gone by then
            self._ended.emit(text, failed)

    def _end(self, text: str, failed: bool) -> None:  # noqa: FBT001 - a signal's arguments
        self.told = text
        if failed:
            self._desk.note(text, "stop", stays=True)
        self.changed.emit()
