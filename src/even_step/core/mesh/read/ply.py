"""PLY, text and binary of both byte orders. It states no unit."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError
from even_step.core.kernels import kernel
from even_step.core.mesh.mesh import Body, Model
from even_step.core.mesh.read.indexed import welded_mesh
from even_step.core.mesh.read.polygon import triangulate
from even_step.core.scan import read_number

TYPES = {
    "char": "i1",
    "int8": "i1",
    "uchar": "u1",
    "uint8": "u1",
    "short": "i2",
    "int16": "i2",
    "ushort": "u2",
    "uint16": "u2",
    "int": "i4",
    "int32": "i4",
    "uint": "u4",
    "uint32": "u4",
    "float": "f4",
    "float32": "f4",
    "double": "f8",
    "float64": "f8",
}
LONGEST_HEADER = 64_000


@dataclass(frozen=True)
class _Property:
    name: str
    type: str
    count_type: str = ""  # set for a list


@dataclass(frozen=True)
class _Element:
    name: str
    count: int
    properties: tuple[_Property, ...]


def read_ply(path: Path, data: NDArray[np.uint8]) -> list[Model]:
    """Read a PLY file.

    Raises
    ------
    InputError
        When the header is damaged, the file is cut off, or a face names a vertex that does not exist.
    """
    order, elements, start = _header(path, data)
    vertices: NDArray[np.float64] | None = None
    faces: NDArray[np.int64] | None = None
    at = start
    for element in elements:
        table = (_text_element if order == "" else _binary_element)(path, data, at, element, order)
        at = table[0]
        if element.name == "vertex":
            vertices = table[1]
        elif element.name == "face":
            faces = _faces(path, element, table, vertices)
        if vertices is not None and faces is not None:
            break
    if vertices is None or faces is None:
        raise InputError("holds no facets", subject=path, remedy="export the model again")
    notes: list[str] = []
    return [Model(path.stem, (Body(path.stem, welded_mesh(path, vertices, faces, notes)),), repairs=tuple(notes))]


def _header(path: Path, data: NDArray[np.uint8]) -> tuple[str, list[_Element], int]:
    raw = data[:LONGEST_HEADER].tobytes()
    end = raw.find(b"end_header")
    if end < 0:
        raise InputError("has no end of its header", subject=path, remedy="export the model again")
    start = raw.find(b"\n", end) + 1
    order: str | None = None
    elements: list[_Element] = []
    for number, line in enumerate(raw[:end].decode("latin-1").splitlines()[1:], 2):
        words = line.split()
        try:
            match words:
                case [] | ["comment" | "obj_info", *_]:
                    continue
                case ["format", kind, _]:
                    order = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}[kind]
                case ["element", name, count]:
                    elements.append(_Element(name, _counted(count), ()))
                case ["property", "list", count_type, item_type, name]:
                    _add(elements, _Property(name, TYPES[item_type], TYPES[count_type]))
                case ["property", item_type, name]:
                    _add(elements, _Property(name, TYPES[item_type]))
                case _:
                    raise ValueError(line)  # noqa: TRY301 - one place tells every bad line
        except (KeyError, ValueError, IndexError) as error:
            raise InputError(
                f"line {number}: {line.strip()[:60]!r} is no line of a PLY header",
                subject=path,
                remedy="export the model again",
            ) from error
    if order is None or start == 0:
        raise InputError("does not say its format", subject=path, remedy="export the model again")
    return order, elements, start


def _counted(text: str) -> int:
    count = int(text)
    if not 0 <= count < 2**31:
        raise ValueError(text)
    return count


def _add(elements: list[_Element], item: _Property) -> None:
    last = elements[-1]
    elements[-1] = _Element(last.name, last.count, (*last.properties, item))


_Table = tuple[int, NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]


def _lists(element: _Element) -> list[int]:
    return [i for i, item in enumerate(element.properties) if item.count_type]


def _columns(path: Path, element: _Element) -> NDArray[np.int64]:
    """Return which properties are x, y, z (for vertices); −1 for elements without."""
    names = [item.name for item in element.properties]
    if element.name != "vertex":
        return np.array([-1, -1, -1])
    if not {"x", "y", "z"} <= set(names):
        raise InputError("its vertices have no x, y and z", subject=path, remedy="export the model again")
    return np.array([names.index(axis) for axis in "xyz"])


def _cut_off(path: Path, element: _Element) -> InputError:
    return InputError(
        f"is cut off or damaged in its {element.count} {element.name} entries",
        subject=path,
        remedy="copy or export the file again",
    )


def _binary_element(path: Path, data: NDArray[np.uint8], at: int, element: _Element, order: str) -> _Table:
    columns = _columns(path, element)
    lists = _lists(element)
    nothing = np.empty(0, np.int64), np.zeros(1, np.int64)
    if not lists:
        row = np.dtype([(f"p{i}", order + item.type) for i, item in enumerate(element.properties)])
        if at + row.itemsize * element.count > len(data):
            raise _cut_off(path, element)
        rows = np.frombuffer(data, row, element.count, at)
        xyz = np.zeros((element.count, 3))
        if columns[0] >= 0:
            xyz = np.stack([rows[f"p{i}"].astype(np.float64) for i in columns], axis=1)
        return at + row.itemsize * element.count, xyz, *nothing
    if element.count * len(element.properties) > len(data) - at:
        raise _cut_off(path, element)
    sizes = np.array(
        [
            [np.dtype(p.count_type or "u1").itemsize if p.count_type else 0, np.dtype(p.type).itemsize]
            for p in element.properties
        ]
    )
    chosen = _face_list(element)
    room = (len(data) - at) // max(1, int(sizes[chosen, 1]))
    corners = np.empty(min(room, len(data)), np.int64)
    starts = np.zeros(element.count + 1, np.int64)
    end = _walk(data, at, element.count, sizes, chosen, order == ">", corners, starts)
    if end < 0:
        raise _cut_off(path, element)
    return int(end), np.zeros((0, 3)), corners[: starts[-1]].copy(), starts


def _text_element(path: Path, data: NDArray[np.uint8], at: int, element: _Element, _order: str) -> _Table:
    columns = _columns(path, element)
    is_list = np.array([bool(p.count_type) for p in element.properties])
    chosen = _face_list(element) if is_list.any() else -1
    if element.count > len(data) - at:
        raise _cut_off(path, element)
    xyz = np.zeros((element.count if columns[0] >= 0 else 0, 3))
    corners = np.empty((len(data) - at) // 2 + 1, np.int64)
    starts = np.zeros(element.count + 1, np.int64)
    end = _walk_text(data, at, element.count, is_list, chosen, columns, xyz, corners, starts)
    if end < 0:
        raise _cut_off(path, element)
    return int(end), xyz, corners[: starts[-1]].copy(), starts


def _face_list(element: _Element) -> int:
    for i, item in enumerate(element.properties):
        if item.count_type and item.name in {"vertex_indices", "vertex_index"}:
            return i
    return _lists(element)[0]


def _faces(path: Path, element: _Element, table: _Table, vertices: NDArray[np.float64] | None) -> NDArray[np.int64]:
    _, _, corners, starts = table
    if vertices is None or not _lists(element):
        raise InputError("its faces come without vertices", subject=path, remedy="export the model again")
    if len(corners) and (corners.min() < 0 or corners.max() >= len(vertices)):
        raise InputError(
            f"a face names a vertex that does not exist (there are {len(vertices)})",
            subject=path,
            remedy="export the model again",
        )
    size = np.diff(starts)
    if (size < 3).any():
        keep = np.repeat(size >= 3, size)
        corners, size = corners[keep], size[size >= 3]
        starts = np.concatenate(([0], np.cumsum(size)))
    return triangulate(vertices, corners, starts) if len(size) else np.empty((0, 3), np.int64)


@kernel
def _integer(data, at, size, big):  # type: ignore[no-untyped-def]
    value = np.int64(0)
    for i in range(size):
        byte = np.int64(data[at + (i if big else size - 1 - i)])
        value = (value << 8) | byte
    return value


@kernel
def _walk(data, at, count, sizes, chosen, big, corners, starts):  # type: ignore[no-untyped-def]
    """Walk entries with lists; returns the place after them, or −1 when the bytes end too soon."""
    total = data.shape[0]
    w = 0
    for e in range(count):
        for p in range(sizes.shape[0]):
            length = np.int64(1)
            if sizes[p, 0] > 0:
                if at + sizes[p, 0] > total:
                    return -1
                length = _integer(data, at, sizes[p, 0], big)
                at += sizes[p, 0]
            if length < 0 or at + length * sizes[p, 1] > total:
                return -1
            if p == chosen:
                for i in range(length):
                    corners[w] = _integer(data, at + i * sizes[p, 1], sizes[p, 1], big)
                    w += 1
            at += length * sizes[p, 1]
        starts[e + 1] = w
    return at


@kernel
def _next_number(data, at):  # type: ignore[no-untyped-def]
    while at < data.shape[0] and (data[at] == 10 or data[at] == 13 or data[at] == 32 or data[at] == 9):
        at += 1
    return read_number(data, at)


@kernel
def _walk_text(data, at, count, is_list, chosen, columns, xyz, corners, starts):  # type: ignore[no-untyped-def]
    w = 0
    for e in range(count):
        for p in range(is_list.shape[0]):
            number, at, good = _next_number(data, at)
            if not good:
                return -1
            if not is_list[p]:
                for axis in range(3):
                    if columns[axis] == p:
                        xyz[e, axis] = number
                continue
            length = int(number) if 0 <= number < 1e9 else -1
            if length < 0 or length > data.shape[0] - at:
                return -1
            for _ in range(length):
                number, at, good = _next_number(data, at)
                if not good or not abs(number) < 4e9:
                    return -1
                if p == chosen:
                    corners[w] = int(number)
                    w += 1
        starts[e + 1] = w
    return at
