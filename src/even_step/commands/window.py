"""The window, and what runs it without anybody looking: ``demo`` without a display, and ``shots``."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from even_step.app.work.entry import start
from even_step.core.errors import EvenStepError, OutputError
from even_step.display import has_display, virtual_display

OUT = Path("out")
SHOTS = Path(__file__).parents[3] / "docs" / "screenshots"


def add_to(commands: Any) -> None:
    """Declare the commands."""
    demo = commands.add_parser("demo", help="open the window with the weather post")
    demo.set_defaults(run=run_demo)
    shots = commands.add_parser("shots", help="make docs/screenshots/ again from the demo")
    shots.set_defaults(run=run_shots)


def run_window(chosen: argparse.Namespace) -> int:
    """Open the window with the files named."""
    if not has_display():
        raise EvenStepError("there is no display to open a window on", remedy="./even-step slice works without one")
    worker = start()  # it loads the core while this process loads Qt
    from even_step.app.main import run  # noqa: PLC0415 - Qt loads only when a window is wanted

    return run(getattr(chosen, "files", ()), worker=worker)


def run_demo(_: argparse.Namespace) -> int:
    """Open the demo; without a display, walk through it on a virtual one and write what it makes."""
    if has_display():
        worker = start()
        from even_step.app.main import run  # noqa: PLC0415 - Qt loads only when a window is wanted

        return run(demo=True, worker=worker)
    _make_folder(OUT)
    with virtual_display():
        from even_step.app.unseen import demo_without_display  # noqa: PLC0415 - Qt loads only when a window is wanted

        for line in demo_without_display(OUT):
            print(line)
    return 0


def run_shots(_: argparse.Namespace) -> int:
    """Take the pictures that the documents show."""
    _make_folder(SHOTS)
    with virtual_display():
        from even_step.app.unseen import shots  # noqa: PLC0415 - Qt loads only when a window is wanted

        shots(SHOTS, print)
    return 0


def _make_folder(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"cannot be made: {error.strerror}", subject=folder) from error
