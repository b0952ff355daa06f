"""Where the machine code of compiled loops is kept. Loads nothing heavy, so that a start can look in at once.

numba's disk cache does not notice an edit in another file that a kernel calls, so the folder is named
after a hash of all sources of the core.
"""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import sys
import tempfile
from pathlib import Path

import platformdirs

CORE = Path(__file__).parent
DECORATOR = "kernels.py"  # how they are compiled
READY = "ready"  # the file that says all kernels of a folder are compiled
OUR_NAME = re.compile(r"[0-9a-f]{16}")


def _source_hash() -> str:
    """Hash every source that decides what a kernel is (hex, 16 characters)."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted(CORE.rglob("*.py")):
        source = path.read_bytes()
        if b"@kernel" in source or path.name == DECORATOR:
            digest.update(str(path.relative_to(CORE)).encode())
            digest.update(source)
    return digest.hexdigest()


def _roots() -> list[Path]:
    """Return where kernels may be kept: in the virtual environment, else among the user's own caches."""
    own = [Path(sys.prefix) / "kernels"] if sys.prefix != sys.base_prefix else []
    return [*own, Path(platformdirs.user_cache_dir("even-step")) / "kernels"]


def _cache_folder(roots: list[Path], name: str) -> Path:
    """Return a folder of this name under the first root that can be written, else a temporary one."""
    for root in roots:
        folder = root / name
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError:
            continue
        if os.access(folder, os.W_OK):
            return folder
    return Path(tempfile.mkdtemp(prefix="even-step-kernels-"))


ROOTS = _roots()
SOURCES = _source_hash()
FOLDER = _cache_folder(ROOTS, SOURCES)


def are_ready() -> bool:
    """Whether every kernel has been compiled for these sources."""
    return (FOLDER / READY).exists()


def forget_older(folder: Path, roots: list[Path]) -> None:
    """Delete what other sources left beside a folder: only folders named as ours are, under our own root."""
    if folder.parent not in roots:
        return
    for stale in folder.parent.iterdir():
        if stale != folder and OUR_NAME.fullmatch(stale.name) and stale.is_dir() and not stale.is_symlink():
            shutil.rmtree(stale, ignore_errors=True)
