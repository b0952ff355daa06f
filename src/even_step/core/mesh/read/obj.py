"""OBJ: vertices and polygons as text; everything else in it is left aside. It states no unit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Body, Model
from even_step.core.mesh.read.indexed import welded_mesh
from even_step.core.mesh.read.polygon import triangulate
from even_step.core.scan import is_blank, line_number, next_line, read_number, skip_blanks

WHAT = {
    1: "a vertex needs three numbers",
    2: "a face names a vertex that does not exist",
    3: "a face needs three corners or more",
}


def read_obj(path: Path, data: NDArray[np.uint8]) -> list[Model]:
    """Read an OBJ file; negative indices count from the end, polygons may be concave.

    Raises
    ------
    InputError
        With the line, when a vertex is no vertex or a face names one that does not exist.
    """
    text = data
    if b"\\\n" in (raw := data.tobytes()) or b"\\\r\n" in raw:
        text = np.frombuffer(raw.replace(b"\\\r\n", b"   ").replace(b"\\\n", b"  "), np.uint8)
    sizes = _count(text)
    vertices = np.empty((sizes[0], 3))
    corners = np.empty(sizes[1], np.int64)
    starts = np.zeros(sizes[2] + 1, np.int64)
    wrong, at = _parse(text, vertices, corners, starts)
    if wrong:
        raise InputError(
            f"line {line_number(text, at)}: {WHAT[int(wrong)]}", subject=path, remedy="export the model again"
        )
    if len(starts) == 1:
        raise InputError("holds no facets", subject=path, remedy="export the model again")
    notes: list[str] = []
    mesh = welded_mesh(path, vertices, triangulate(vertices, corners, starts), notes)
    return [Model(path.stem, (Body(path.stem, mesh),), repairs=tuple(notes))]


@kernel
def _kind(text, at):  # type: ignore[no-untyped-def]
    """Return 1 at a vertex line, 2 at a face line, else 0."""
    if at + 1 < text.shape[0] and is_blank(text[at + 1]):
        if text[at] == 118:
            return 1
        if text[at] == 102:
            return 2
    return 0


@kernel
def _count(text):  # type: ignore[no-untyped-def]
    """Return how many vertices, face corners and faces there are at the most."""
    vertices = corners = faces = 0
    at = 0
    while at < text.shape[0]:
        at = skip_blanks(text, at)
        kind = _kind(text, at)
        if kind == 1:
            vertices += 1
        elif kind == 2:
            faces += 1
            at += 1
            while at < text.shape[0] and text[at] != 10:
                if not is_blank(text[at]) and is_blank(text[at - 1]):
                    corners += 1
                at += 1
        at = next_line(text, at)
    return vertices, corners, faces


@kernel
def _parse(text, vertices, corners, starts):  # type: ignore[no-untyped-def]
    """Fill the arrays; returns what is wrong (see WHAT, 0 for nothing) and where."""
    size = text.shape[0]
    at = 0
    v = c = f = 0
    while at < size:
        at = skip_blanks(text, at)
        kind = _kind(text, at)
        if kind == 1:
            at += 1
            for axis in range(3):
                number, at, good = read_number(text, at)
                if not good:
                    return 1, at
                vertices[v, axis] = number
            v += 1
        elif kind == 2:
            at += 1
            first = c
            while True:
                at = skip_blanks(text, at)
                if at >= size or text[at] == 10 or text[at] == 35:
                    break
                number, at, good = read_number(text, at)
                whole = int(number) if abs(number) < 4e9 else 0
                if not good or whole == 0 or whole != number or whole > v or whole < -v:
                    return 2, at
                corners[c] = whole - 1 if whole > 0 else v + whole
                c += 1
                while at < size and not is_blank(text[at]) and text[at] != 10:
                    at += 1
            if c - first < 3:
                return 3, at
            f += 1
            starts[f] = c
        at = next_line(text, at)
    return 0, at
