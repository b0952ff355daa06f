"""Pictures of the window at work on the demo, for the documents and for machines without a display."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtWidgets import QApplication

from even_step.app.files import DEMO
from even_step.app.main import application, open_window
from even_step.app.scenes import CAUGHT, Scene, scenes, vase_scenes
from even_step.app.settled import drawn, under_way, wait_until
from even_step.app.window import Window
from even_step.core.errors import EvenStepError

SIZE = 1280, 800
FUNNEL = DEMO.parent / "funnel_job.toml"


def shoot(window: Window, path: Path) -> None:
    """Take a picture of the window as it is on the screen."""
    wait_until(lambda: drawn(window), path.name, lambda: f"({', '.join(under_way(window))})")
    app = application()
    for _ in range(3):
        app.processEvents()
    _grab(window, path)


def _grab(window: Window, path: Path) -> None:
    screen = window.screen()
    picture = screen.grabWindow(window.winId())
    if not picture.save(str(path)):
        raise EvenStepError("cannot be written", subject=path)


def take_shots(folder: Path, told: Callable[[str], None]) -> Window:
    """Open the demo, walk through the stations and take a picture of each; returns the window, still open.

    Before it the funnel's job, which is a demo of its own.
    """
    application()
    with TemporaryDirectory(prefix="even-step-") as state:
        window = open_window([str(FUNNEL)], state=Path(state))
        _walk(window, vase_scenes(), folder, told)
        window.close()
    with TemporaryDirectory(prefix="even-step-") as state:
        window = open_window(demo=True, state=Path(state))
        _walk(window, scenes(), folder, told)
        focus = QApplication.focusWidget()
        if focus:
            focus.clearFocus()
        return window


def _walk(window: Window, through: Iterator[Scene], folder: Path, told: Callable[[str], None]) -> None:
    """Take the pictures of some scenes."""
    window.resize(*SIZE)
    wait_until(lambda: bool(window.desk.job.parts) and drawn(window), "the demo")
    for name, act, settled in through:
        act(window)
        if act is CAUGHT and window.desk.trials.running:
            wait_until(lambda: window.strip.button.share > 0.4, "slicing")
            _grab(window, folder / "slicing.png")
            told(str(folder / "slicing.png"))
        wait_until(lambda settled=settled: settled(window), name or "slicing")  # type: ignore[misc]
        if name:
            path = folder / f"{name}.png"
            shoot(window, path)
            told(str(path))
