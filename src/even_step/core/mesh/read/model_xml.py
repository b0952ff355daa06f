"""What the XML of a 3MF is looked through for before a library sees it. Runs only in the reader's own process.

One pass by the standard parser, a piece at a time, so that neither time nor memory grows faster than the text.
"""

from __future__ import annotations

import codecs
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any, NoReturn
from xml.parsers import expat

from even_step.core.errors import InputError

CHUNK = 1 << 18
LONGEST_TOKEN = 4 << 20  # bytes; the parser reads a tag or a comment again from its start with each piece
DEEPEST = 64
UNITS = {"micron", "millimeter", "centimeter", "inch", "foot", "meter"}
PLAIN = {"utf-8", "ascii"}
ENCODINGS = {*PLAIN, "utf-16", "iso8859-1"}  # those that the parser reads without a table
ESCAPE = re.compile(r"&#(?:x([0-9a-fA-F]{1,6})|([0-9]{1,7}));")
LONGEST_ESCAPE = 10
KEPT_ESCAPED = {"&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&apos;"}


@dataclass(eq=False)
class _Tags:
    """Objects, their components and the items to be built, as the parser meets them."""

    path: Path
    parser: Any
    inside: dict[int, list[int]] = field(default_factory=dict)
    items: list[int] = field(default_factory=list)
    now: int = -1
    declared: str = ""

    def __post_init__(self) -> None:
        self.parser.StartElementHandler = self._start
        self.parser.StartDoctypeDeclHandler = self._refuse_entities
        self.parser.EntityDeclHandler = self._refuse_entities
        self.parser.XmlDeclHandler = self._note_encoding

    def _refuse_entities(self, *_: object) -> NoReturn:
        raise InputError(
            "declares XML entities, which a 3MF may not",
            subject=self.path,
            remedy="it is no honest model; ask for another",
        )

    def _note_encoding(self, _version: str, encoding: str | None, _alone: int) -> None:
        self.declared = encoding or ""

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        match name.rpartition(":")[2]:
            case "mesh":
                # Vertices and facets are the library's: only the end of the mesh is waited for.
                self.parser.StartElementHandler, self.parser.EndElementHandler = None, self._end
            case "object":
                self.now = _number(attributes.get("id"))
                self.inside.setdefault(self.now, [])
            case "component" if self.now in self.inside:
                self.inside[self.now].append(_number(attributes.get("objectid")))
            case "item":
                self.items.append(_number(attributes.get("objectid")))
            case "model" if attributes.get("unit", "millimeter") not in UNITS:
                raise InputError(
                    f"states a unit that 3MF does not have: {attributes['unit'][:20]}",
                    subject=self.path,
                    remedy="export the model again",
                )

    def _end(self, name: str) -> None:
        if name.rpartition(":")[2] == "mesh":
            self.parser.StartElementHandler, self.parser.EndElementHandler = self._start, None


def _number(text: str | None) -> int:
    return int(text) if text and len(text) <= 10 and text.isdecimal() else -1


def check_xml(path: Path, stream: IO[bytes], most_bodies: int) -> str:
    """Look through the XML of a model, and tell the encoding to turn it from, or nothing where a library may have it.

    Parameters
    ----------
    path
        The archive, for messages.
    stream
        The model's bytes.
    most_bodies
        How many bodies its components may expand to.

    Raises
    ------
    InputError
        When it is no sound XML, declares entities, states an unknown unit, or has components that form a loop, lie too
        deep, or expand to too much.
    """
    chunk = stream.read(CHUNK)
    # A mark at the start outweighs what the declaration says.
    mark = "utf-16" if chunk[:2] in {codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE} else ""
    parser = expat.ParserCreate(mark or None)
    parser.buffer_text = True
    tags = _Tags(path, parser)
    read, escapes, before = 0, False, b""
    try:
        while chunk:
            escapes = escapes or b"&#" in before + chunk
            before = chunk[-1:]
            read += len(chunk)
            parser.Parse(chunk, False)
            if read - parser.CurrentByteIndex > LONGEST_TOKEN:
                raise InputError(
                    "contains a tag of megabytes",
                    subject=path,
                    remedy="it is no honest model; ask for another",
                )
            chunk = stream.read(CHUNK)
        parser.Parse(b"", True)
    except (expat.ExpatError, ValueError, LookupError) as error:
        line = f" in line {parser.CurrentLineNumber}" if read else ""
        raise InputError(f"contains broken XML{line}", subject=path, remedy="export it again") from error
    _check_components(path, tags, most_bodies)
    encoding = mark or _known(path, tags.declared)
    return encoding if escapes or encoding not in PLAIN else ""


def _known(path: Path, declared: str) -> str:
    try:
        encoding = codecs.lookup(declared or "utf-8").name
    except LookupError:
        encoding = ""
    if encoding not in ENCODINGS:
        raise InputError(f"is written as {declared[:20]}, not as UTF-8", subject=path, remedy="export the model again")
    return encoding


def _check_components(path: Path, tags: _Tags, most_bodies: int) -> None:
    counted: dict[int, int] = {}

    def bodies(number: int, depth: int) -> int:
        if depth > DEEPEST:
            raise InputError(
                f"nests components deeper than {DEEPEST}, or in a loop", subject=path, remedy="export a simpler model"
            )
        if number not in counted:
            below = tags.inside.get(number, [])
            counted[number] = sum(bodies(one, depth + 1) for one in below) if below else 1
        return counted[number]

    if sum(bodies(number, 0) for number in tags.items) > most_bodies:
        raise InputError(
            f"expands to more than {most_bodies} bodies", subject=path, remedy="it is no honest model; ask for another"
        )


def as_utf8(stream: IO[bytes], encoding: str) -> Iterator[bytes]:
    """Yield a model's XML as UTF-8 without numbers for letters, which the library does not know.

    Raises
    ------
    UnicodeDecodeError
        When it is not in that encoding.
    """
    decoder = codecs.getincrementaldecoder(encoding)()
    left, first = "", True
    while True:
        chunk = stream.read(CHUNK)
        text = left + decoder.decode(chunk, final=not chunk)
        if first:
            text, first = _without_declaration(text.removeprefix("\ufeff")), False
        # An escape may go on in the next piece.
        begun = text.rfind("&", max(0, len(text) - LONGEST_ESCAPE)) if chunk else -1
        text, left = (text[:begun], text[begun:]) if begun >= 0 else (text, "")
        yield ESCAPE.sub(_letter, text).encode("utf-8")
        if not chunk:
            return


def _without_declaration(text: str) -> str:
    return text[text.find("?>") + 2 :] if text.startswith("<?xml") else text


def _letter(found: re.Match[str]) -> str:
    letter = chr(int(found[1], 16) if found[1] else int(found[2]))
    return KEPT_ESCAPED.get(letter, letter)
