"""A display for machines without one."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager

from even_step.core.errors import EvenStepError

SIZE = "1600x1000x24"
PATIENCE = 10.0  # s


def has_display() -> bool:
    """Whether a window can be shown."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


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
