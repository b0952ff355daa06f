"""Triangles made finer along the outline, then turned until all are Delaunay.

No corner of another triangle lies in the circle about one, as far as the outline lets it (Lawson, "Software for C1
surface interpolation", 1977).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.plane.ragged import Index

WITHIN = 1e-9  # how far, for its size, a corner must lie within a circle
SLACK = 0.02  # spacings: sides parted once are not parted again because their ends lie on the grid
TURNS = 64  # a triangle at the most, should rounding go round in circles


def numbered(corners: NDArray[np.float64], owner: Index) -> tuple[NDArray[np.float64], Index]:
    """Number the corners of triangles; returns points, (P, 2), and (T, 3) numbers.

    Corners of different owners are different points even where they meet.
    """
    flat = np.round(corners.reshape(-1, 2) * 1000).astype(np.int64)
    flat -= flat.min(axis=0)
    _, place = np.unique((flat[:, 0] << 31) + flat[:, 1], return_inverse=True)
    _, where, vertex = np.unique((np.repeat(owner, 3) << 32) + place, return_index=True, return_inverse=True)
    return corners.reshape(-1, 2)[where], vertex.reshape(-1, 3)


def refined(corners: NDArray[np.float64], owner: Index, spacing: float) -> tuple[NDArray[np.float64], Index]:
    """Part the outer sides of triangles until none is longer than ``spacing`` mm, and make all Delaunay.

    Parameters
    ----------
    corners : (T, 3, 2) float64
        mm, counter-clockwise or clockwise.
    owner : (T,) int64
        Which polygon each is of, not falling.

    Returns
    -------
    corners, owner
        More of them, in the same order of owners.
    """
    if len(corners) == 0:
        return corners, owner
    points, vertex = numbered(corners, owner)
    done, origin = _refined(points, vertex, _beside(vertex, len(points)), spacing)
    order = np.argsort(origin, kind="stable")
    return done[order], owner[origin[order]]


def _beside(vertex: Index, points: int) -> Index:
    """Return the triangle across each side, (T, 3), −1 for none; side k runs from corner k to the next."""
    ends = np.stack((vertex, vertex[:, [1, 2, 0]]), axis=2).reshape(-1, 2)
    keys = np.sort(ends, axis=1) @ np.array([points, 1])
    order = np.argsort(keys, kind="stable")
    twins = np.flatnonzero(keys[order[1:]] == keys[order[:-1]])
    beside = np.full(len(keys), -1, np.int64)
    beside[order[twins]], beside[order[twins + 1]] = order[twins + 1] // 3, order[twins] // 3
    return beside.reshape(-1, 3)


@kernel
def _refined(points, vertex, beside, spacing):  # type: ignore[no-untyped-def]
    """Return the corners of refined triangles, and the triangle each came from."""
    count = vertex.shape[0]
    room = count
    for t in range(count):
        for k in range(3):
            if beside[t, k] < 0:
                a, b = points[vertex[t, k]], points[vertex[t, (k + 1) % 3]]
                room += int(np.hypot(b[0] - a[0], b[1] - a[1]) / spacing) + 1
    more = points.shape[0] + room
    xy = np.empty((more, 2))
    xy[: points.shape[0]] = points
    tri, nb = np.empty((room, 3), np.int64), np.full((room, 3), -1, np.int64)
    tri[:count], nb[:count] = vertex, beside
    origin = np.arange(room)
    for t in range(count):
        _face_left(xy, tri, nb, t)
    made = points.shape[0]
    t = 0
    while t < count:
        for k in range(3):
            if nb[t, k] < 0:
                made, count = _parted(xy, tri, nb, origin, t, k, spacing, made, count)
        t += 1
    _turned(xy, tri, nb, count)
    out = np.empty((count, 3, 2))
    for t in range(count):
        for k in range(3):
            out[t, k] = xy[tri[t, k]]
    return out, origin[:count].copy()


@kernel
def _left(a, b, c):  # type: ignore[no-untyped-def]
    """Return twice the area of a triangle, positive where it runs counter-clockwise."""
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


@kernel
def _face_left(xy, tri, nb, t):  # type: ignore[no-untyped-def]
    """Make a triangle run counter-clockwise."""
    if _left(xy[tri[t, 0]], xy[tri[t, 1]], xy[tri[t, 2]]) < 0.0:
        tri[t, 1], tri[t, 2] = tri[t, 2], tri[t, 1]
        nb[t, 0], nb[t, 2] = nb[t, 2], nb[t, 0]


@kernel
def _parted(xy, tri, nb, origin, t, k, spacing, made, count):  # type: ignore[no-untyped-def]
    """Part an outer side into equal ones; returns how many points and triangles there are then."""
    a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
    dx, dy = xy[b, 0] - xy[a, 0], xy[b, 1] - xy[a, 1]
    pieces = int(np.ceil(np.hypot(dx, dy) / spacing - SLACK))
    if pieces < 2:
        return made, count
    beyond = nb[t, (k + 1) % 3]
    before = t
    for i in range(1, pieces):
        xy[made, 0] = np.round((xy[a, 0] + dx * i / pieces) * 1000.0) / 1000.0
        xy[made, 1] = np.round((xy[a, 1] + dy * i / pieces) * 1000.0) / 1000.0
        if i == 1:
            tri[t, (k + 1) % 3] = made
            nb[t, (k + 1) % 3] = count
        else:
            tri[before, 1] = made
            nb[before, 1] = count
        tri[count, 0], tri[count, 1], tri[count, 2] = made, b, c
        nb[count, 0], nb[count, 1], nb[count, 2] = -1, beyond, before
        origin[count] = origin[t]
        before = count
        made += 1
        count += 1
    if beyond >= 0:
        for j in range(3):
            if nb[beyond, j] == t:
                nb[beyond, j] = before
                break
    return made, count


@kernel
def _in_circle(a, b, c, d):  # type: ignore[no-untyped-def]
    """Tell whether d lies clearly within the circle through a, b and c, which run counter-clockwise."""
    ax, ay, bx, by, cx, cy = a[0] - d[0], a[1] - d[1], b[0] - d[0], b[1] - d[1], c[0] - d[0], c[1] - d[1]
    aa, bb, cc = ax * ax + ay * ay, bx * bx + by * by, cx * cx + cy * cy
    size = aa + bb + cc
    return ax * (by * cc - bb * cy) - ay * (bx * cc - bb * cx) + aa * (bx * cy - by * cx) > WITHIN * size * size


@kernel
def _turned(xy, tri, nb, count):  # type: ignore[no-untyped-def]
    """Turn the common side of two triangles wherever the other two corners see each other better."""
    queue = np.arange(count)
    waits = np.ones(count, np.bool_)
    head, left = 0, count
    budget = TURNS * count
    while left > 0 and budget > 0:
        t = queue[head]
        head = head + 1 if head + 1 < count else 0
        left -= 1
        waits[t] = False
        for k in range(3):
            u = nb[t, k]
            if u < 0:
                continue
            a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
            j = 0
            while j < 2 and not (nb[u, j] == t and tri[u, j] == b):
                j += 1
            if tri[u, j] != b or nb[u, j] != t:
                continue
            d = tri[u, (j + 2) % 3]
            if not _in_circle(xy[a], xy[b], xy[c], xy[d]):
                continue
            if _left(xy[a], xy[d], xy[c]) <= 0.0 or _left(xy[d], xy[b], xy[c]) <= 0.0:
                continue
            bc, ca = nb[t, (k + 1) % 3], nb[t, (k + 2) % 3]
            ad, db = nb[u, (j + 1) % 3], nb[u, (j + 2) % 3]
            tri[t, 0], tri[t, 1], tri[t, 2] = a, d, c
            nb[t, 0], nb[t, 1], nb[t, 2] = ad, u, ca
            tri[u, 0], tri[u, 1], tri[u, 2] = d, b, c
            nb[u, 0], nb[u, 1], nb[u, 2] = db, bc, t
            for other, was, now in ((ad, u, t), (bc, t, u)):
                if other >= 0:
                    for m in range(3):
                        if nb[other, m] == was:
                            nb[other, m] = now
                            break
            budget -= 1
            for one in (t, u, ad, bc, ca, db):
                if one >= 0 and not waits[one]:
                    waits[one] = True
                    queue[(head + left) % count] = one
                    left += 1
            break
    return 0
