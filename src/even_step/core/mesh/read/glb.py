"""Read the meshes of a GLB file, as the CAD kernel writes it.

Only what that kernel writes is understood: one binary chunk, triangles, positions as 32-bit floats, indices as
whole numbers, and nodes that are placed by a matrix or by shift, turn and scale (Khronos, "glTF 2.0
Specification", sections 3.5 to 3.7 and 4).
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.errors import InputError

HEADER, CHUNK = 12, 8  # bytes
NUMBERS = {5121: np.uint8, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
ACROSS = {"SCALAR": 1, "VEC3": 3}
TRIANGLES = 4
DEEPEST = 64

GlbBody = tuple[str, NDArray[np.float64], NDArray[np.int64]]


def read_glb(data: bytes) -> list[GlbBody]:
    """Return name, vertices (V, 3) and triangles (F, 3) of every placed mesh, in the file's unit (metres).

    Raises
    ------
    InputError
        When the file does not hold what its head promises.
    """
    try:
        length = int.from_bytes(data[HEADER : HEADER + 4], "little")
        content = json.loads(data[HEADER + CHUNK : HEADER + CHUNK + length])
        binary = data[HEADER + 2 * CHUNK + length :]
        bodies: list[GlbBody] = []
        for root in content["scenes"][content.get("scene", 0)]["nodes"]:
            _walk(content, binary, root, np.eye(4), bodies, 0)
    except (KeyError, IndexError, TypeError, ValueError) as error:
        raise InputError("was not understood after the CAD kernel read it") from error
    return bodies


def _walk(
    content: dict[str, Any],
    binary: bytes,
    number: int,
    above: NDArray[np.float64],
    bodies: list[GlbBody],
    depth: int,
) -> None:
    """Add the mesh of a node and those of the nodes under it."""
    if depth > DEEPEST:
        raise ValueError
    node = content["nodes"][number]
    matrix = above @ _placement(node)
    if "mesh" in node:
        mesh = content["meshes"][node["mesh"]]
        pieces = [_primitive(content, binary, item) for item in mesh["primitives"] if item.get("mode", 4) == TRIANGLES]
        if pieces:
            starts = np.cumsum([0, *(len(xyz) for xyz, _ in pieces[:-1])])
            xyz = np.concatenate([xyz for xyz, _ in pieces]).astype(np.float64)
            faces = np.concatenate([faces + at for (_, faces), at in zip(pieces, starts, strict=True)])
            name = str(mesh.get("name") or node.get("name") or f"body {len(bodies) + 1}")
            bodies.append((name, xyz @ matrix[:3, :3].T + matrix[:3, 3], faces))
    for child in node.get("children", ()):
        _walk(content, binary, child, matrix, bodies, depth + 1)


def _placement(node: dict[str, Any]) -> NDArray[np.float64]:
    """Return a node's matrix; turns are quaternions x, y, z, w."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = node.get("rotation", (0.0, 0.0, 0.0, 1.0))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix = np.eye(4)
    matrix[:3, :3] = turn * np.asarray(node.get("scale", (1.0, 1.0, 1.0)), np.float64)
    matrix[:3, 3] = node.get("translation", (0.0, 0.0, 0.0))
    return matrix


def _primitive(
    content: dict[str, Any], binary: bytes, item: dict[str, Any]
) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    xyz = _numbers(content, binary, item["attributes"]["POSITION"])
    if "indices" in item:
        faces = _numbers(content, binary, item["indices"]).reshape(-1, 3).astype(np.int64)
    else:
        faces = np.arange(len(xyz), dtype=np.int64).reshape(-1, 3)
    if len(faces) and faces.max() >= len(xyz):
        raise ValueError
    return xyz, faces


def _numbers(content: dict[str, Any], binary: bytes, number: int) -> NDArray[Any]:
    """Return the rows of an accessor; rows may lie apart in the file."""
    accessor = content["accessors"][number]
    view = content["bufferViews"][accessor["bufferView"]]
    kind, across = np.dtype(NUMBERS[accessor["componentType"]]), ACROSS[accessor["type"]]
    at = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
    apart = view.get("byteStride", kind.itemsize * across)
    shape, strides = (accessor["count"], across), (apart, kind.itemsize)
    return np.ndarray(shape, kind, binary, at, strides)
