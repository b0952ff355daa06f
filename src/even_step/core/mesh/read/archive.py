"""What a 3MF archive is checked for before a library sees it."""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath

from even_step.core.errors import InputError
from even_step.core.mesh.read.components import check_components

MOST_UNPACKED = 800_000_000
MOST_ENTRIES = 10_000
MOST_BODIES = 20_000
CHUNK = 1 << 20
WIDE_MARKS = (b"\xff\xfe", b"\xfe\xff")
UNIT = re.compile(rb"""<model\b[^>]*?\bunit\s*=\s*["']([^"']*)["']""")
UNITS = {"micron", "millimeter", "centimeter", "inch", "foot", "meter"}
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


def sound_archive(path: Path, folder: Path) -> Path:
    """Return an archive that a library may see: this one, or a copy in a folder with its models as UTF-8.

    Raises
    ------
    InputError
        When it is no zip, has no model, unpacks to too much, names paths outside itself, or declares XML
        entities.
    """
    with _broken_told(path):
        sound = _in_narrow_text(path, folder)
        with zipfile.ZipFile(sound) as archive:
            entries = archive.infolist()
            _check_entries(path, entries)
            models = [entry for entry in entries if entry.filename.lower().endswith(".model")]
            if not models:
                raise InputError("has no model in it", subject=path, remedy="export the model again")
            for entry in models:
                _check_xml(path, archive, entry)
                with archive.open(entry) as stream:
                    check_components(path, stream, MOST_BODIES)
    return sound


def _in_narrow_text(path: Path, folder: Path) -> Path:
    """Return an archive whose models are UTF-8: this one, or a copy in a folder when one of them is UTF-16.

    Raises
    ------
    InputError
        When a model says that it is UTF-16 and is not, or unpacks to too much.
    """
    with zipfile.ZipFile(path) as archive:
        entries = archive.infolist()
        _check_entries(path, entries)
        wide = {entry.filename for entry in entries if entry.filename.lower().endswith(".model")}
        wide = {name for name in wide if _begin(archive, name) in WIDE_MARKS}
        if not wide:
            return path
        copy = folder / path.name
        with zipfile.ZipFile(copy, "w", zipfile.ZIP_DEFLATED) as out:
            for entry in entries:
                raw = archive.read(entry)
                out.writestr(entry.filename, _narrow(path, raw) if entry.filename in wide else raw)
    return copy


def _begin(archive: zipfile.ZipFile, name: str) -> bytes:
    with archive.open(name) as stream:
        return stream.read(2)


def _narrow(path: Path, raw: bytes) -> bytes:
    try:
        text = raw.decode("utf-16")
    except UnicodeDecodeError as error:
        raise InputError("holds a model that is no text", subject=path, remedy="export the model again") from error
    return re.sub(r"(<\?xml[^>]*?encoding\s*=\s*)([\"'])[^\"']*\2", r"\1\2UTF-8\2", text, count=1).encode("utf-8")


def _check_entries(path: Path, entries: list[zipfile.ZipInfo]) -> None:
    if len(entries) > MOST_ENTRIES or sum(entry.file_size for entry in entries) > MOST_UNPACKED:
        raise InputError(
            f"unpacks to more than {MOST_UNPACKED // 1_000_000} MB",
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


def _check_xml(path: Path, archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> None:
    """Look for a document type in the head of the XML, where alone it may stand."""
    with archive.open(entry) as stream:
        head = stream.read(CHUNK).replace(b"\0", b"").lower()
    if b"<!doctype" in head or b"<!entity" in head:
        raise InputError(
            "declares XML entities, which a 3MF may not",
            subject=path,
            remedy="it is no honest model; ask for another",
        )
    stated = UNIT.search(head)
    if stated and stated[1].decode("ascii", "replace") not in UNITS:
        raise InputError(
            f"states a unit that 3MF does not have: {stated[1].decode('ascii', 'replace')[:20]}",
            subject=path,
            remedy="export the model again",
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
        with zipfile.ZipFile(path) as archive:
            if name not in archive.namelist():
                return None
            with archive.open(name) as stream:
                raw = stream.read(LONGEST_TEXT + 1)
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, RuntimeError, NotImplementedError) as error:
        raise InputError(f"is no sound 3MF archive: {error}", subject=path, remedy="copy the file again") from error
    if len(raw) > LONGEST_TEXT:
        raise InputError(f"carries a {WORDS[name]} that is too large", subject=path)
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as error:
        raise InputError(f"carries a {WORDS[name]} that is no text", subject=path) from error
