"""The window run on a display that nobody sees."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from even_step.app.main import application
from even_step.app.settled import wait_until
from even_step.app.shots import take_shots
from even_step.core.errors import EvenStepError
from even_step.core.wording import clock, grams


def shots(folder: Path, told: Callable[[str], None]) -> None:
    """Take the pictures of every main view."""
    window = take_shots(folder, told)
    window.close()
    application().shutdown()


def demo_without_display(folder: Path) -> Iterator[str]:
    """Walk through the demo, write pictures and G-code, and say what was made."""
    yield "There is no display: the demo runs on a virtual one."
    pictures: list[str] = []
    window = take_shots(folder, pictures.append)
    trial = window.desk.trials.shown
    target = folder / "weather_post.gcode"
    window.files.export(str(target))
    wait_until(lambda: not window.files.reading, "the export")
    if trial is None or not target.exists():
        raise EvenStepError("the demo was not exported", subject=target)
    copies = sum(len(part["placements"]) for part in trial.report["parts"])
    layers = trial.report["layers"]["count"]
    yield f"{trial.job.name}: {copies} parts, {layers} layers, {clock(trial.time)}, {grams(trial.mass)}"
    yield from (f"{finding['severity']}: {finding['message']}" for finding in trial.report["findings"])
    yield "Written: " + ", ".join([str(target), *pictures])
    window.close()
    application().shutdown()
