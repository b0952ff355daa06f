"""Kill the window at random moments of editing: ``PYTHONPATH=src python tools/kill_while_editing.py 50``.

A child opens the window on a small part and edits it without a pause, saying when and what. It is killed, at a moment
drawn at random; what is left must open, hold a state of the last five seconds, and so must the job it was saving over
and over. Prints how much was lost at the worst.
"""

from __future__ import annotations

import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from even_step.core.errors import EvenStepError
from even_step.core.job.file import read_job_file
from even_step.core.job.model import Job
from even_step.core.job.spots import first_spot
from even_step.core.job.text import read_job_text
from even_step.display import virtual_display

SEED = 7
LATEST = 6.0  # s of editing before the kill
MOST_LOST = 5.0  # s
PATIENCE = 60.0  # s for the window to open
STEP = 0.001  # mm that each edit moves the part


def edit_without_pause(folder: Path) -> None:
    """Open the window and move a part a little every few milliseconds, saving now and then, until killed."""
    from PySide6.QtCore import QTimer  # noqa: PLC0415 - only the child needs a window

    from even_step.app.main import application, open_window  # noqa: PLC0415
    from even_step.core.job import edits  # noqa: PLC0415

    app = application()
    window = open_window([str(folder / "part.stl")], state=folder / "state")
    done = 0

    def edit() -> None:
        nonlocal done
        desk = window.desk
        if not desk.job.parts:
            return
        done += 1
        desk.store.do("move part", edits.placed_at(desk.job, {first_spot(desk.job.parts[0]): (done * STEP, 0.0)}))
        print(f"{time.time():.4f} {done}", flush=True)
        if done % 40 == 0 and not window.files.reading:
            window.files.save(str(folder / "saved.3mf"))

    timer = QTimer()
    timer.timeout.connect(edit)
    timer.start(20)
    app.exec()


def killed_once(folder: Path, after: float) -> float:
    """Let a child edit for so long, kill it, and return how many seconds of its edits are lost.

    Raises
    ------
    EvenStepError
        When a file that is left cannot be opened.
    """
    (folder / "part.stl").write_text(_block())
    command = [sys.executable, __file__, "--edit", str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as child:
        said: Iterable[str] = child.stdout or []
        lines = [next(iter(said), "")]
        end = time.time() + after
        while time.time() < end:
            lines.append(next(iter(said), ""))
        child.send_signal(signal.SIGKILL)
        lines += list(said)
    told = [(float(when), int(number)) for when, number in (line.split() for line in lines if len(line.split()) == 2)]
    kept = 0
    for path in (folder / "state" / "recovery").glob("*.toml"):
        kept = max(kept, _edit_of(read_job_text(path)))
    if (folder / "saved.3mf").exists():
        kept = max(kept, _edit_of(read_job_file(folder / "saved.3mf")))
    last = told[-1][0]
    lost_from = next((when for when, number in told if number > kept), last)
    return last - lost_from


def _edit_of(job: Job) -> int:
    """Return the number of the edit that made a job."""
    at = job.parts[0].copies[0].at
    return round(at[0] / STEP) if at else 0


def _block() -> str:
    """Return a tetrahedron as STL text."""
    corners = ((0, 0, 0), (20, 0, 0), (0, 20, 0), (0, 0, 20))
    facets = ((0, 2, 1), (0, 1, 3), (1, 2, 3), (2, 0, 3))
    rows = [
        "facet normal 0 0 0\nouter loop\n"
        + "".join(f"vertex {corners[k][0]} {corners[k][1]} {corners[k][2]}\n" for k in facet)
        + "endloop\nendfacet\n"
        for facet in facets
    ]
    return "solid part\n" + "".join(rows) + "endsolid part\n"


def main() -> int:
    """Kill so many children; returns 1 when too much was lost or a file is broken."""
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    chance = np.random.default_rng(SEED)
    worst, broken = 0.0, 0
    with virtual_display():
        for _ in range(times):
            with tempfile.TemporaryDirectory(prefix="even-step-") as folder:
                try:
                    worst = max(worst, killed_once(Path(folder), chance.uniform(0.0, LATEST)))
                except EvenStepError as error:
                    broken += 1
                    print(error)
    print(f"{times} kills: {broken} broken, at most {worst:.1f} s of edits lost")
    return int(broken > 0 or worst > MOST_LOST)


if __name__ == "__main__":
    if sys.argv[1:2] == ["--edit"]:
        edit_without_pause(Path(sys.argv[2]))
    else:
        sys.exit(main())
