"""Files that are written appear whole or not at all."""

from __future__ import annotations

import os
import secrets
import shutil
import stat
from collections.abc import Iterable
from pathlib import Path
from typing import IO

from even_step.core.errors import OutputError


def write_whole(path: Path, pieces: Iterable[bytes | memoryview]) -> int:
    """Write a file beside its place and move it there when it is complete; what is no file is written into.

    Returns
    -------
    int
        Bytes written.

    Raises
    ------
    OutputError
        When it cannot be written; whatever stood there before still does, and nothing half remains.
    """
    try:
        if _is_stream(path):
            with os.fdopen(os.open(path, os.O_WRONLY | os.O_NONBLOCK), "wb", buffering=0) as stream:
                os.set_blocking(stream.fileno(), True)
                return _write(stream, pieces)
        target = path.resolve()
        temporary = target.parent / f".even-step-{os.getpid()}-{secrets.token_hex(6)}.part"
        # Made with the rights that the process gives to new files.
        handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o666)
        try:
            with os.fdopen(handle, "wb", buffering=0) as stream:
                written = _write(stream, pieces)
            temporary.replace(target)
        except BaseException:
            temporary.unlink(missing_ok=True)
            raise
    except (OSError, ValueError) as error:
        raise OutputError(
            f"cannot be written: {getattr(error, 'strerror', None) or 'not a valid file name'}",
            subject=path,
            remedy="make room or choose another place",
        ) from error
    return written


def _write(stream: IO[bytes], pieces: Iterable[bytes | memoryview]) -> int:
    written = 0
    for piece in pieces:
        view = memoryview(piece)
        while view:
            sent = stream.write(view)
            view = view[sent:]
            written += sent
    return written


def _is_stream(path: Path) -> bool:
    """Tell whether a pipe or a device stands there, which is written into and never replaced.

    Raises
    ------
    OutputError
        When something stands there that can be neither.
    """
    try:
        kind = path.stat().st_mode
    except (FileNotFoundError, NotADirectoryError):
        return False
    except (OSError, ValueError) as error:
        raise OutputError("is not a valid file name", subject=str(path)[:200], remedy="choose another name") from error
    if stat.S_ISDIR(kind):
        raise OutputError("is a folder", subject=path, remedy="name a file")
    if stat.S_ISFIFO(kind) or stat.S_ISCHR(kind):
        return True
    if not stat.S_ISREG(kind):
        raise OutputError("is not a regular file", subject=path, remedy="choose another name")
    return False


def require_writable(paths: Iterable[Path], read: Iterable[Path] = ()) -> None:
    """Refuse to begin what could not be written in the end, or would replace what it is made of.

    Parameters
    ----------
    paths
        Where something is to be written.
    read
        Files that are read for it.

    Raises
    ------
    OutputError
        When a folder is not there or not to be written, or a path is that of a file that is read.
    """
    sources = [path for path in read if _is_there(path)]
    for path in paths:
        stream, folder = _is_stream(path), path.resolve().parent
        if not folder.is_dir():
            raise OutputError(f"cannot be written: there is no folder {folder}", subject=path, remedy="create it first")
        if not stream and not os.access(folder, os.W_OK):
            raise OutputError("cannot be written: its folder is read-only", subject=path, remedy="choose another place")
        if _is_there(path) and any(path.samefile(one) for one in sources):
            raise OutputError("is an input and would be overwritten", subject=path, remedy="choose another name")


def _is_there(path: Path) -> bool:
    """Tell whether something stands there; under a name that no file can have nothing does."""
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


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
