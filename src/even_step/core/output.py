"""Files appear whole or not at all."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterable
from pathlib import Path

from even_step.core.errors import OutputError


def write_whole(path: Path, pieces: Iterable[bytes]) -> int:
    """Write a file beside its place and move it there when it is complete.

    Returns
    -------
    int
        Bytes written.

    Raises
    ------
    OutputError
        When it cannot be written; whatever stood there before still does, and nothing half remains.
    """
    written = 0
    target = path.resolve()
    if target.is_dir():
        raise OutputError("is a folder", subject=path, remedy="name a file")
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
        temporary = Path(name)
        with os.fdopen(handle, "wb", buffering=0) as stream:
            for piece in pieces:
                view = memoryview(piece)
                while view:
                    sent = stream.write(view)
                    view = view[sent:]
                    written += sent
        temporary.chmod(0o666 & ~_umask())
        temporary.replace(target)
    except OSError as error:
        _remove(temporary)
        raise OutputError(
            f"cannot be written: {error.strerror}", subject=path, remedy="make room or choose another place"
        ) from error
    except BaseException:
        _remove(temporary)
        raise
    return written


def require_room(path: Path, needed: int) -> None:
    """Refuse to begin what will not fit where it is to go; ``needed`` is in bytes.

    Raises
    ------
    OutputError
        When less is free there.
    """
    try:
        free = shutil.disk_usage(path.resolve().parent).free
    except OSError:
        return  # what is wrong there is told when the file is written
    if free < needed:
        raise OutputError(
            f"needs about {needed / 1e6:.0f} MB, and {free / 1e6:.0f} MB are free",
            subject=path,
            remedy="make room or choose another place",
        )


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _remove(path: Path | None) -> None:
    if path:
        path.unlink(missing_ok=True)
