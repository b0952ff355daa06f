"""STL, binary and text. It states no unit and shares no corners."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Body, Model
from even_step.core.mesh.read.indexed import accepted
from even_step.core.mesh.weld import weld
from even_step.core.scan import line_number, read_number, skip_blanks, word, word_is
from even_step.core.work import ALONE, Crew

HEADER = 84
FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])
VERTEX, FACET_WORD = word("vertex"), word("facet")


def promised_facets(data: NDArray[np.uint8]) -> int:
    """Return how many facets the header of a binary STL promises."""
    return int(data[80:HEADER].view("<u4")[0]) if len(data) >= HEADER else 0


def is_text(data: NDArray[np.uint8]) -> bool:
    """Whether the bytes begin like a text STL: ``solid``, then nothing but text, with a facet or the end."""
    head = data[:2048].tobytes().removeprefix(b"\xef\xbb\xbf").lstrip().lower()
    if not head.startswith(b"solid") or b"\0" in head:
        return False
    return b"facet" in head or b"endsolid" in head


def read_stl(path: Path, data: NDArray[np.uint8], crew: Crew = ALONE) -> list[Model]:
    """Read an STL file.

    Parameters
    ----------
    path
        For names and messages.
    data : (N,) uint8
        The whole file.
    crew
        Who does the work.

    Raises
    ------
    InputError
        When it is cut off, holds no facets, or a number in it is none; with the facet or the line.
    """
    notes: list[str] = []
    if is_text(data):
        corners = _text_corners(path, data)
    else:
        corners = _binary_corners(path, data, notes)
    mesh = accepted(path, weld(corners, crew), notes)
    return [Model(path.stem, (Body(path.stem, mesh),), repairs=tuple(notes))]


def _binary_corners(path: Path, data: NDArray[np.uint8], notes: list[str]) -> NDArray[np.float32]:
    promised = promised_facets(data)
    held = (len(data) - HEADER) // FACET.itemsize
    if len(data) < HEADER or promised == 0:
        raise InputError("holds no facets", subject=path, remedy="export the model again")
    if promised > held:
        raise InputError(
            f"is cut off: its header promises {promised} facets, it holds {held}",
            subject=path,
            remedy="copy or export the file again",
        )
    extra = len(data) - HEADER - promised * FACET.itemsize
    if extra:
        notes.append(f"{extra} bytes after the last facet were left out")
    facets = np.frombuffer(data, FACET, promised, HEADER)
    corners: NDArray[np.float32] = facets["corners"]
    return corners


def _text_corners(path: Path, data: NDArray[np.uint8]) -> NDArray[np.float32]:
    room = data.tobytes().lower().count(b"vertex")
    corners = np.empty((room, 3), np.float32)
    count, facets, bad = _parse(data, VERTEX, FACET_WORD, corners)
    if bad >= 0:
        raise InputError(
            f"line {line_number(data, bad)}: a corner has a coordinate that is no number",
            subject=path,
            remedy="export the model again",
        )
    if count == 0:
        raise InputError("holds no facets", subject=path, remedy="export the model again")
    if count != facets * 3:
        raise InputError(
            f"is cut off or damaged: {facets} facets have {count} corners",
            subject=path,
            remedy="copy or export the file again",
        )
    return corners[:count].reshape(-1, 3, 3)


@kernel
def _parse(text, vertex, facet, corners):  # type: ignore[no-untyped-def]
    """Collect what follows each word ``vertex``; returns corners, facets and where it went wrong or −1."""
    at = 0
    count = 0
    facets = 0
    size = text.shape[0]
    while at < size:
        at = skip_blanks(text, at)
        if at < size and text[at] == 10:
            at += 1
            continue
        if word_is(text, at, vertex):
            at += 6
            for axis in range(3):
                number, at, good = read_number(text, at)
                if not good:
                    return count, facets, at
                corners[count, axis] = number
            count += 1
        else:
            if word_is(text, at, facet):
                facets += 1
            while at < size and text[at] != 10 and text[at] != 32 and text[at] != 9 and text[at] != 13:
                at += 1
    return count, facets, -1
