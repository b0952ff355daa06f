"""Shells of a mesh: found, checked, and turned the right way round.

A closed and consistent mesh has every edge once in each direction. That is checked for a whole shell at
once: each directed edge adds a 64-bit hash of its two ends, or takes it away when it runs the other way, so
that a sound shell sums to zero. Only what does not is looked at edge by edge.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.mesh.columns import columns_of, lies_under
from even_step.core.mesh.measure import facet_normal
from even_step.core.mesh.mesh import Faces, Mesh, Vertices
from even_step.core.work import ALONE, Crew

ON_ONE_LINE = 1e-6  # height over length of a facet without area


@dataclass(frozen=True)
class Mended:
    """A mesh with consistent winding and what was done to it.

    ``open_edges`` counts edges that lack a partner after mending; ``turned`` facets, ``doubled`` facets, ``loose``
    facets without area and ``turned_shells`` count what was mended.
    """

    mesh: Mesh
    shells: int
    open_edges: int
    turned: int
    doubled: int
    loose: int
    turned_shells: int

    @property
    def closed(self) -> bool:
        """Whether every edge has its partner."""
        return self.open_edges == 0


def mend(mesh: Mesh, crew: Crew = ALONE) -> Mended:
    """Make the winding of a mesh consistent shell by shell.

    A shell that no other encloses and whose volume is negative is turned, together with what it encloses.
    An enclosed shell keeps its sense against the one round it: opposite, it is a cavity; equal, it is
    solid in solid.
    """
    faces = mesh.faces
    label, sums, volumes = _shells(mesh.vertices, faces, crew)
    turned = doubled = loose = open_edges = 0
    if sums.any():
        before = len(faces)
        faces = _without_doubles(faces)
        doubled = before - len(faces)
        faces = _without_loose(mesh.vertices, faces)
        loose = before - doubled - len(faces)
        faces, label, turned, open_edges = _consistent(mesh.vertices, faces)
        volumes = _volumes(mesh.vertices, faces, label, int(label.max()) + 1)
    turn = _shells_to_turn(mesh.vertices, faces, label, volumes)
    if turn.any():
        faces = faces.copy()
        chosen = turn[label]
        faces[chosen] = faces[chosen][:, ::-1]
    return Mended(Mesh(mesh.vertices, faces), len(volumes), open_edges, turned, doubled, loose, int(turn.sum()))


def labels_of(mesh: Mesh) -> tuple[NDArray[np.int32], int]:
    """Return which shell each facet is of, (F,), and how many there are; a shell's facets are joined by vertices."""
    label, count = _number(_join(len(mesh.vertices), mesh.faces), mesh.faces)
    return label, int(count)


def _shells(
    vertices: Vertices, faces: Faces, crew: Crew
) -> tuple[NDArray[np.int32], NDArray[np.uint64], NDArray[np.float64]]:
    """Label facets by shell (joined through vertices), with each shell's edge sum and signed volume."""
    label, count = labels_of(Mesh(vertices, faces))
    sums, volumes = np.zeros(count, np.uint64), np.zeros(count)
    asked = ((_edge_sums, (faces, label, sums)), (_shell_volumes, (vertices, faces, label, volumes)))
    crew.each(lambda first, _: asked[first][0](*asked[first][1]), [(0, 1), (1, 2)])
    return label, sums, volumes


def _volumes(vertices: Vertices, faces: Faces, label: NDArray[np.int32], count: int) -> NDArray[np.float64]:
    volumes = np.zeros(count)
    _shell_volumes(vertices, faces, label, volumes)
    return volumes


def _without_doubles(faces: Faces) -> Faces:
    """Keep one of facets over the same three vertices with the same sense."""
    start = faces.argmin(axis=1)
    turned = np.take_along_axis(faces, (start[:, None] + np.arange(3)) % 3, axis=1)
    _, first = np.unique(turned, axis=0, return_index=True)
    return faces if len(first) == len(faces) else faces[np.sort(first)]


def _without_loose(vertices: Vertices, faces: Faces) -> Faces:
    """Leave out facets whose corners lie on one line and that no other facet touches along an edge.

    Those that have neighbours stay, for they close the gap between a long edge and the short ones beside it.
    """
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    across = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    long = np.maximum(((b - a) ** 2).sum(axis=1), ((c - a) ** 2).sum(axis=1))
    flat = across <= ON_ONE_LINE * long
    if not flat.any() or flat.all():
        return faces
    ends = np.sort(faces[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    _, place, count = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    alone = (count[place.ravel()] == 1).reshape(-1, 3).all(axis=1)
    return np.asarray(faces[~(flat & alone)])


def _consistent(vertices: Vertices, faces: Faces) -> tuple[Faces, NDArray[np.int32], int, int]:
    """Turn facets so that neighbours over an edge of two facets agree.

    Returns the faces, a label per facet (patches joined through such edges), how many facets differ from
    the file, and how many edges lack a partner.
    """
    count = len(faces)
    ends = np.sort(faces[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1).astype(np.int64)
    key = ends[:, 0] * (len(vertices) + 1) + ends[:, 1]
    order = np.argsort(key, kind="stable")
    ordered = key[order]
    first = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    size = np.diff(np.append(first, len(ordered)))
    neighbour = np.full(count * 3, -1, np.int32)
    pair = first[size == 2]
    neighbour[order[pair]] = order[pair + 1]
    neighbour[order[pair + 1]] = order[pair]
    label = np.full(count, -1, np.int32)
    turn = np.zeros(count, np.bool_)
    patches = _spread(faces, neighbour, label, turn)
    # The lesser part of a patch is what the file has wrong, whichever facet the spreading began at.
    share = np.bincount(label, weights=turn, minlength=patches) / np.bincount(label, minlength=patches)
    turn ^= (share > 0.5)[label]
    result = faces.copy()
    result[turn] = result[turn][:, ::-1]
    return result, label, int(turn.sum()), int((size % 2).sum())


def _shells_to_turn(
    vertices: Vertices, faces: Faces, label: NDArray[np.int32], volumes: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Return which shells stand inside out: the outer negative ones and all they enclose."""
    turn = np.zeros(len(volumes), np.bool_)
    if not (volumes < 0).any():
        return turn
    if len(volumes) == 1:
        return np.ones(1, np.bool_)
    inside = _enclosure(vertices, faces, label, len(volumes))
    outer = ~inside.any(axis=1)
    wrong = outer & (volumes < 0)
    return wrong | (inside & wrong[None, :]).any(axis=1)


def _enclosure(vertices: Vertices, faces: Faces, label: NDArray[np.int32], count: int) -> NDArray[np.bool_]:
    """Return the (S, S) table: row's shell lies inside column's shell.

    A ray goes up from the highest vertex of each shell through the facets over it, which are found in a
    grid over the bed.
    """
    xyz = vertices[faces]
    high = xyz.max(axis=1)
    columns = columns_of(vertices, faces)
    top = np.full(count, -np.inf)
    np.maximum.at(top, label, high[:, 2])
    apex = np.zeros((count, 3))
    for f in np.flatnonzero(high[:, 2] == top[label])[::-1]:
        corner = int(xyz[f, :, 2].argmax())
        apex[label[f]] = xyz[f, corner]
    inside = np.zeros((count, count), np.bool_)
    _cast(vertices, faces, label, apex, *columns, inside)
    return inside


@kernel
def _find(root, v):  # type: ignore[no-untyped-def]
    while root[v] != v:
        root[v] = root[root[v]]
        v = root[v]
    return v


@kernel
def _join(count, faces):  # type: ignore[no-untyped-def]
    """Union-find over vertices with path halving; the lesser number is the root."""
    root = np.arange(count).astype(np.int32)
    for f in range(faces.shape[0]):
        a = _find(root, faces[f, 0])
        for c in range(1, 3):
            b = _find(root, faces[f, c])
            if a < b:
                root[b] = a
            elif b < a:
                root[a] = b
                a = b
    return root


@kernel
def _number(root, faces):  # type: ignore[no-untyped-def]
    number = np.full(root.shape[0], -1, np.int32)
    label = np.empty(faces.shape[0], np.int32)
    count = 0
    for f in range(faces.shape[0]):
        r = _find(root, faces[f, 0])
        if number[r] < 0:
            number[r] = count
            count += 1
        label[f] = number[r]
    return label, count


@kernel
def _edge_sums(faces, label, sums):  # type: ignore[no-untyped-def]
    for f in range(faces.shape[0]):
        for c in range(3):
            a = np.uint64(faces[f, c])
            b = np.uint64(faces[f, (c + 1) % 3])
            low = min(a, b)
            high = max(a, b)
            mixed = (low << np.uint64(32)) | high
            mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
            mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
            mixed ^= mixed >> np.uint64(31)
            if a < b:
                sums[label[f]] += mixed
            else:
                sums[label[f]] -= mixed


@kernel
def _shell_volumes(vertices, faces, label, volumes):  # type: ignore[no-untyped-def]
    x0, y0, z0 = vertices[faces[0, 0], 0], vertices[faces[0, 0], 1], vertices[faces[0, 0], 2]
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ax, ay, az = vertices[a, 0] - x0, vertices[a, 1] - y0, vertices[a, 2] - z0
        bx, by, bz = vertices[b, 0] - x0, vertices[b, 1] - y0, vertices[b, 2] - z0
        cx, cy, cz = vertices[c, 0] - x0, vertices[c, 1] - y0, vertices[c, 2] - z0
        volumes[label[f]] += (ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)) / 6.0


@kernel
def _spread(faces, neighbour, label, turn):  # type: ignore[no-untyped-def]
    """Walk from facet to facet over edges of two facets, noting which must be turned."""
    count = faces.shape[0]
    queue = np.empty(count, np.int32)
    patches = 0
    for seed in range(count):
        if label[seed] >= 0:
            continue
        label[seed] = patches
        queue[0] = seed
        head = 0
        tail = 1
        while head < tail:
            f = queue[head]
            head += 1
            for c in range(3):
                other = neighbour[3 * f + c]
                if other < 0:
                    continue
                g = other // 3
                if label[g] >= 0:
                    continue
                same = faces[f, c] == faces[g, other % 3]
                label[g] = patches
                turn[g] = turn[f] != same
                queue[tail] = g
                tail += 1
        patches += 1
    return patches


@kernel
def _cast(vertices, faces, label, apex, origin, cell, side, start, item, inside):  # type: ignore[no-untyped-def]
    for s in range(apex.shape[0]):
        x, y, z = apex[s, 0], apex[s, 1], apex[s, 2]
        gx = min(max(int((x - origin[0]) / cell[0]), 0), side - 1)
        gy = min(max(int((y - origin[1]) / cell[1]), 0), side - 1)
        for k in range(start[gy * side + gx], start[gy * side + gx + 1]):
            f = item[k]
            if label[f] == s:
                continue
            a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
            if not lies_under(vertices, a, b, c, x, y):
                continue
            nx, ny, nz = facet_normal(vertices, a, b, c)
            if nz == 0.0:
                continue
            if vertices[a, 2] - (nx * (x - vertices[a, 0]) + ny * (y - vertices[a, 1])) / nz > z:
                inside[s, label[f]] = not inside[s, label[f]]
