"""Starts the window."""

from __future__ import annotations

import signal
import socket
import sys
from collections.abc import Sequence
from pathlib import Path

import platformdirs
from PySide6.QtCore import QSettings, QSocketNotifier, QTimer
from PySide6.QtGui import QSurfaceFormat
from PySide6.QtWidgets import QApplication

from even_step.app.canvas.drawing import surface_format
from even_step.app.desk import Desk
from even_step.app.files import new_job
from even_step.app.theme.style import dress
from even_step.app.window import Window
from even_step.app.work.entry import Started

WARM_UP, SWEEP = 400, 10_000  # ms after the window shows


def application() -> QApplication:
    """Return the application, dressed."""
    known = QApplication.instance()
    if isinstance(known, QApplication):
        return known
    QSurfaceFormat.setDefaultFormat(surface_format())
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Even Step")
    app.setOrganizationName("even-step")
    dress(app)
    return app


def state_folder() -> Path:
    """Return where the program keeps what it needs from one start to the next."""
    return Path(platformdirs.user_state_dir("even-step"))


def open_window(
    files: Sequence[str] = (), *, demo: bool = False, state: Path | None = None, worker: Started | None = None
) -> Window:
    """Open the window with some files brought in, or with the demo job."""
    application()
    state = state or state_folder()
    window = Window(Desk(new_job(), state, worker), QSettings(str(state / "window.ini"), QSettings.Format.IniFormat))
    window.show()
    if demo:
        window.files.open_demo()
    elif files:
        window.files.bring_in([str(Path(file).resolve()) for file in files])
    if not demo:
        window.offer_recovery()
    QTimer.singleShot(WARM_UP, window, lambda: window.desk.background.run("warm", _warm, lambda _: None))
    QTimer.singleShot(SWEEP, window, window.keeping.sweep)
    return window


def _warm() -> None:
    """Load the kernels that the first pick and the first figures need."""
    import even_step.core.figures  # noqa: F401, PLC0415 - loads in half a second, after the window shows


def run(files: Sequence[str] = (), *, demo: bool = False, worker: Started | None = None) -> int:
    """Run the window until it is closed."""
    app = application()
    window = open_window(files, demo=demo, worker=worker)
    woken = _close_on_signals(window)
    code = app.exec()
    woken.setEnabled(False)
    return code


def _close_on_signals(window: Window) -> QSocketNotifier:
    """Close the window as its frame would when the process is told to end; Qt's loop is woken through a socket."""
    told, telling = socket.socketpair()
    for end in (told, telling):
        end.setblocking(False)
    signal.set_wakeup_fd(telling.detach())
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        # Not at once: the signal may arrive in the midst of painting.
        signal.signal(number, lambda *_: QTimer.singleShot(0, window, window.close))
    notifier = QSocketNotifier(told.detach(), QSocketNotifier.Type.Read, window)
    notifier.activated.connect(lambda *_: None)
    return notifier
