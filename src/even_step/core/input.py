"""Files that are read: plain ones, of a decent size."""

from __future__ import annotations

import stat
from pathlib import Path

from even_step.core.errors import InputError

CHECK = "check the name and the rights"


def size_of(path: Path) -> int:
    """Return how many bytes a plain file has.

    Raises
    ------
    InputError
        When it is not there, its name is none, or it is a folder, a pipe or a device, from which reading might never
        end.
    """
    try:
        status = path.stat()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", subject=path, remedy=CHECK) from error
    except ValueError as error:
        raise InputError("is not a valid file name", subject=repr(str(path))[:200], remedy=CHECK) from error
    if not stat.S_ISREG(status.st_mode):
        raise InputError("is not a regular file", subject=path, remedy="folders, pipes and devices cannot be read")
    return status.st_size


def bytes_of(path: Path, most: int) -> bytes:
    """Return what is in a plain file of at most so many bytes.

    Raises
    ------
    InputError
        When it cannot be read, or is larger.
    """
    if size_of(path) > most:
        raise InputError(f"is larger than {most / 1e6:.0f} MB, the most allowed for such a file", subject=path)
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", subject=path, remedy=CHECK) from error
