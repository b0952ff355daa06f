"""Small files written beside the window."""

from __future__ import annotations

from pathlib import Path

from even_step.core.errors import EvenStepError
from even_step.core.output import write_whole


def written(path: Path, data: bytes) -> str:
    """Write a file, whole or not at all; returns what is wrong, naming the file, or nothing."""
    try:
        write_whole(path, [data])
    except EvenStepError as error:
        return str(error)
    return ""
