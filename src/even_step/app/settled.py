"""Waiting for the window: until something is so, or all is read, placed and drawn whole."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEventLoop, QTimer

from even_step.app.window import Window
from even_step.core.errors import EvenStepError

PATIENCE = 120_000  # ms for anything to happen
SEEN = 1


def wait_until(done: Callable[[], bool], what: str, lacking: Callable[[], str] = str) -> None:
    """Let the window work until something is so; ``lacking`` says what it waits for in vain.

    Raises
    ------
    EvenStepError
        When it takes too long.
    """
    if done():
        return
    loop = QEventLoop()
    look, late = QTimer(), QTimer(singleShot=True)
    # What it waited for counts once it was so: a moment later something else may be under way.
    look.timeout.connect(lambda: loop.exit(SEEN) if done() else None)
    late.timeout.connect(loop.quit)
    look.start(15)
    late.start(PATIENCE)
    seen = loop.exec() == SEEN
    look.stop()
    late.stop()
    if not seen:
        raise EvenStepError(f"waited too long for {what} {lacking()}".rstrip())


def drawn(window: Window) -> bool:
    """Whether everything is read, placed and drawn whole."""
    return not under_way(window)


def under_way(window: Window) -> list[str]:
    """Name what is not done yet."""
    ready = {
        "drawing": window.area.canvas.is_whole,
        "reading": not window.files.reading,
        "geometry": not window.desk.background.busy,
        "models": window.desk.shelf.has_all(window.desk.job.parts),
    }
    return [piece for piece, done in ready.items() if not done]
