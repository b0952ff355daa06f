"""Small models that between them need every kernel of the readers."""

from __future__ import annotations

from pathlib import Path

import numpy as np

SIDES = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))


BROKEN = "v 0 0 zero\n"


def block(low: float, high: float, bottom: float, top: float, first: int = 0) -> tuple[list[str], list[str]]:
    """Return the vertex and face lines of an upright box as OBJ; ``first`` vertices come before them."""
    corners = [f"v {x} {y} {z}" for x in (low, high) for y in (low, high) for z in (bottom, top)]
    faces = ["f " + " ".join(str(first + 1 + corner) for corner in side) for side in SIDES]
    return corners, faces


def wedge(first: int) -> tuple[list[str], list[str]]:
    """Return a wedge that grows out of the block's side from a wall of two lines to nothing."""
    plan = ((8.0, -0.6), (8.0, 0.6), (16.0, -0.02), (16.0, 0.02))
    corners = [f"v {x} {y} {z}" for x, y in plan for z in (0.0, 2.0)]
    return corners, ["f " + " ".join(str(first + 1 + corner) for corner in side) for side in SIDES]


def flare(low: float, high: float, bottom: float, top: float, first: int) -> tuple[list[str], list[str]]:
    """Return a block that widens upward, past any limit."""
    corners, faces = block(low, high, bottom, top, first)
    wide = [f"v {x} {y} {top}" for x in (low - 3, high + 3) for y in (low - 3, high + 3)]
    return [corner if corner.endswith(f" {bottom}") else wide.pop(0) for corner in corners], faces


def write_models(folder: Path) -> list[Path]:
    """Write one small model in every format that a kernel reads."""
    outer, inner, fin = block(-9, 9, 0, 4), block(-2, 2, 1, 3, first=8), wedge(first=16)
    shelf, crumb = block(-11, 11, 3.4, 4, first=24), flare(15, 16, 2, 4, first=32)
    hole = ["f " + " ".join(reversed(face.split()[1:])) for face in inner[1]]
    corners = [line for some in (outer, inner, fin, shelf, crumb) for line in some[0]]
    solid = folder / "block.obj"
    solid.write_text("\n".join((*corners, *outer[1], *hole, *fin[1], *shelf[1], *crumb[1])) + "\n")
    inside_out = folder / "inside_out.obj"
    inside_out.write_text("\n".join((*outer[0], "f " + " ".join(outer[1][0].split()[:0:-1]), *outer[1][1:-1])) + "\n")
    places = np.array([line.split()[1:] for line in outer[0]], np.float32)
    facets = [places[list(side)] for side in SIDES]
    text = folder / "text.stl"
    rows = [f"vertex {x} {y} {z}" for face in facets for i in ((0, 1, 2), (0, 2, 3)) for x, y, z in face[list(i)]]
    text.write_text(
        "solid s\n"
        + "\n".join("facet\n" + "\n".join(rows[i : i + 3]) + "\nendfacet" for i in range(0, len(rows), 3))
        + "\nendsolid\n"
    )
    ply = folder / "block.ply"
    head = (
        "ply\nformat {} 1.0\nelement vertex 8\nproperty float x\nproperty float y\nproperty float z\n"
        "element face 6\nproperty list uchar int vertex_indices\nend_header\n"
    )
    ply.write_text(
        head.format("ascii")
        + "\n".join(line[2:] for line in outer[0])
        + "\n"
        + "\n".join("4 " + " ".join(str(corner) for corner in side) for side in SIDES)
        + "\n"
    )
    binary = folder / "binary.ply"
    faces = b"".join(b"\x04" + np.array(side, "<i4").tobytes() for side in SIDES)
    binary.write_bytes(head.format("binary_little_endian").encode() + places.tobytes() + faces)
    stl = folder / "block.stl"
    triangles = np.array([face[list(i)] for face in facets for i in ((0, 1, 2), (0, 2, 3))], np.float32)
    records = b"".join(bytes(12) + one.tobytes() + bytes(2) for one in triangles)
    stl.write_bytes(bytes(80) + np.uint32(len(triangles)).tobytes() + records)
    return [solid, inside_out, text, ply, binary, stl]
