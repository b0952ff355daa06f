"""A display for machines without one."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from even_step.core.errors import EvenStepError

SIZE = "1600x1000x24"
PATIENCE = 10.0  # s
CALL = 5.0  # s
X_PORT, X_SOCKETS = 6000, "/tmp/.X11-unix/X"  # noqa: S108 - where displays listen


def has_display() -> bool:
    """Whether a window can be shown: one is named, and somebody answers there."""
    wayland = os.environ.get("WAYLAND_DISPLAY", "")
    if wayland and _answers(Path(os.environ.get("XDG_RUNTIME_DIR", "")) / wayland):
        return True
    host, _, number = os.environ.get("DISPLAY", "").rpartition(":")
    number = number.partition(".")[0]
    if not number.isdigit():
        return False
    if host not in {"", "unix"}:
        return _answers((host.strip("[]"), X_PORT + int(number)))
    place = f"{X_SOCKETS}{number}"
    return _answers(place) or _answers(f"\0{place}")


def _answers(where: str | Path | tuple[str, int]) -> bool:
    """Tell whether a display takes a call: one that does not ends Qt at once, without a word of ours."""
    try:
        if isinstance(where, tuple):
            socket.create_connection(where, CALL).close()
            return True
        with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
            line.settimeout(CALL)
            line.connect(str(where))
    except (OSError, ValueError):
        return False
    return True


@contextmanager
def virtual_display() -> Iterator[None]:
    """Show windows on a display in memory, named in the environment while it lasts.

    Raises
    ------
    EvenStepError
        When there is no program for one.
    """
    server = shutil.which("Xvfb")
    if server is None:
        raise EvenStepError("there is no display, and no virtual one", remedy="install the package xvfb")
    reading, writing = os.pipe()
    command = [server, "-displayfd", str(writing), "-screen", "0", SIZE, "-nolisten", "tcp"]
    process = subprocess.Popen(command, pass_fds=(writing,), stderr=subprocess.DEVNULL)
    os.close(writing)
    before = {name: os.environ.get(name) for name in ("DISPLAY", "QT_QPA_PLATFORM")}
    try:
        with os.fdopen(reading) as answer:
            number = answer.readline().strip()
        if not number:
            raise EvenStepError("the virtual display did not start", remedy="run Xvfb by hand to see why")
        os.environ |= {"DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
        yield
    finally:
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value
        process.terminate()
        process.wait(PATIENCE)
