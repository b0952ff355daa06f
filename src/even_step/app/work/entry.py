"""Where the worker process begins. Light, so that it can be started before the window's own modules load."""

from __future__ import annotations

import multiprocessing
import os
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess
from typing import Any


@dataclass(frozen=True)
class Started:
    """A worker on its way, and the line to it."""

    process: SpawnProcess
    line: Connection


def start() -> Started:
    """Start a worker."""
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    process = context.Process(target=enter, args=(theirs,), name="even-step worker", daemon=True)
    process.start()
    theirs.close()
    return Started(process, ours)


def enter(connection: Any) -> None:
    """Serve a window. The core is loaded here, in the worker, while the window draws its first picture."""
    from even_step.app.work.server import serve  # noqa: PLC0415

    serve(connection)
    # At once: whatever is still computing is wanted by nobody.
    os._exit(0)
