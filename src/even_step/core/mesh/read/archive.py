"""What a 3MF archive is checked for before a library sees it."""

from __future__ import annotations

import io
import itertools
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath

from even_step.core.errors import InputError
from even_step.core.mesh.read.model_xml import as_utf8, check_xml

MOST_UNPACKED = 800_000_000
MOST_ENTRIES = 10_000
MOST_BODIES = 20_000
MOST_RATIO = 250  # times that an archive of more than some megabytes may unpack to; text of a regular mesh has 10 to 40
SMALL_UNPACKED = 20_000_000
CHUNK = 1 << 20
LARGEST_READ = 4 << 20
JOB_ENTRY = "Metadata/even-step-job.toml"
SOME_BODIES = "some-bodies"  # the part number of objects that join only some of a model's bodies
TRIALS_ENTRY = "Metadata/even-step-trials.json"
WORDS = {JOB_ENTRY: "job record", TRIALS_ENTRY: "record of trials"}
LONGEST_TEXT = 8_000_000


@contextmanager
def _broken_told(path: Path) -> Iterator[None]:
    """Tell what breaks while an archive is looked through."""
    try:
        yield
    except (
        zipfile.BadZipFile,
        zlib.error,
        OSError,
        EOFError,
        NotImplementedError,
        RuntimeError,
        ValueError,
    ) as error:
        raise InputError(
            f"is no sound 3MF archive: {error}", subject=path, remedy="copy or export the file again"
        ) from error


class _LimitedReads(io.FileIO):
    """A file that gives no more than some megabytes at once: an archive's table of contents is read in one piece."""

    def read(self, size: int | None = -1, /) -> bytes:
        """Read that many bytes."""
        if size is not None and size > LARGEST_READ:
            raise zipfile.BadZipFile("its table of contents is too long")
        return super().read(size)


@contextmanager
def _opened(path: Path) -> Iterator[zipfile.ZipFile]:
    with _LimitedReads(path) as file, zipfile.ZipFile(file) as archive:
        yield archive


def sound_archive(path: Path, folder: Path) -> Path:
    """Return an archive that a library may see: this one, or a copy in a folder with its models in plain UTF-8.

    Takes as long as the archive is large, so it is called in the reader's own process.

    Parameters
    ----------
    path
        The archive.
    folder
        Where a copy may lie.

    Raises
    ------
    InputError
        When it is no zip, has no model, unpacks to too much, names paths outside itself, or one of its models is
        refused by ``check_xml``.
    """
    with _broken_told(path), _opened(path) as archive:
        entries = archive.infolist()
        _check_entries(path, entries)
        models = [entry for entry in entries if entry.filename.lower().endswith(".model")]
        if not models:
            raise InputError("has no model in it", subject=path, remedy="export the model again")
        turned = {}
        for entry in models:
            with archive.open(entry) as stream:
                turned[entry.filename] = check_xml(path, stream, MOST_BODIES)
        if not any(turned.values()):
            return path
        copy = folder / "plain.3mf"
        with zipfile.ZipFile(copy, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
            for entry in entries:
                encoding = turned.get(entry.filename, "")
                with archive.open(entry) as stream, out.open(entry.filename, "w") as target:
                    pieces = as_utf8(stream, encoding) if encoding else iter(lambda: stream.read(CHUNK), b"")
                    for piece in pieces:
                        target.write(piece)
        return copy


def _check_entries(path: Path, entries: list[zipfile.ZipInfo]) -> None:
    packed = sum(entry.compress_size for entry in entries)
    most = min(MOST_UNPACKED, max(SMALL_UNPACKED, MOST_RATIO * packed))
    if len(entries) > MOST_ENTRIES or sum(entry.file_size for entry in entries) > most:
        raise InputError(
            f"unpacks to more than {most // 1_000_000} MB",
            subject=path,
            remedy="it is no honest model; ask for another",
        )
    for entry in entries:
        name = PurePosixPath(entry.filename.replace("\\", "/"))
        if name.is_absolute() or ".." in name.parts:
            raise InputError(
                f"names a path outside itself: {entry.filename[:80]!r}",
                subject=path,
                remedy="it is no honest model; ask for another",
            )


def job_text_in(path: Path) -> str | None:
    """Return the job record a 3MF carries, or none; see ``text_in``."""
    return text_in(path, JOB_ENTRY)


def text_in(path: Path, name: str) -> str | None:
    """Return the text of an entry that we put into a 3MF, or none.

    Raises
    ------
    InputError
        When the entry is too large or no text.
    """
    try:
        with _opened(path) as archive:
            if name not in archive.namelist():
                return None
            with archive.open(name) as stream:
                pieces = iter(lambda: stream.read(CHUNK), b"")
                raw = b"".join(itertools.islice(pieces, LONGEST_TEXT // CHUNK + 1))
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, NotImplementedError) as error:
        raise InputError(f"is no sound 3MF archive: {error}", subject=path, remedy="copy the file again") from error
    if len(raw) > LONGEST_TEXT:
        raise InputError(f"carries a {WORDS[name]} that is too large", subject=path)
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as error:
        raise InputError(f"carries a {WORDS[name]} that is no text", subject=path) from error
