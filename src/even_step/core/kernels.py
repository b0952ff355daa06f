"""The one decorator for compiled loops, and where their machine code is kept.

numba's disk cache does not notice an edit in another file that a kernel calls, so the folder is named
after a hash of all sources of the core.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, cast

import numba

config: Any = numba.config  # numba fills it at run time
CORE = Path(__file__).parent


def _source_hash() -> str:
    """Hash of every source that holds a kernel (hex, 16 characters)."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(CORE.rglob("*.py")):
        source = path.read_bytes()
        if b"@kernel" in source:
            digest.update(str(path.relative_to(CORE)).encode())
            digest.update(source)
    return digest.hexdigest()


def _cache_folder() -> Path:
    """Return a folder only this user can write: in the virtual environment, else a temporary one."""
    root = Path(sys.prefix) / "kernels"
    folder = root / _source_hash()
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
    return folder if os.access(folder, os.W_OK) else Path(tempfile.mkdtemp(prefix="even-step-kernels-"))


FOLDER = _cache_folder()


def kernel(function: Callable[..., Any]) -> Callable[..., Any]:
    """Compile a loop: without the interpreter lock, cached on disk, lazily, with exact arithmetic.

    Division by zero gives infinity as in NumPy instead of raising. Kernels are private to their module; a
    public wrapper checks what they are given, for they check no bounds.
    """
    before, config.CACHE_DIR = config.CACHE_DIR, str(FOLDER)
    try:
        return cast("Callable[..., Any]", numba.njit(nogil=True, cache=True, error_model="numpy")(function))
    finally:
        config.CACHE_DIR = before
