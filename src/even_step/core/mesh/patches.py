"""Patches of a mesh's surface: round a spot, up to folds, and cut finer than its facets where a ball ends."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.faces import neighbours
from even_step.core.mesh.mesh import Mesh
from even_step.core.mesh.shells import labels_of

Facets = NDArray[np.int64]
Corners = NDArray[np.float64]
TINY = 1e-6  # mm


class Spot(NamedTuple):
    """The spot of a surface that is nearest to a point: its facet, where it is, and how far away, mm."""

    facet: int
    at: NDArray[np.float64]
    away: float


def nearest(corners: Corners, point: NDArray[np.float64]) -> Spot:
    """Find the spot of facets (n, 3, 3), n > 0, nearest to a point (3,); on an edge, on that which faces down most."""
    spots = nearest_spots(corners, point)
    away = np.linalg.norm(spots - point, axis=1)
    some = np.flatnonzero(away <= away.min() + TINY)
    normal = np.cross(corners[some, 1] - corners[some, 0], corners[some, 2] - corners[some, 0])
    rise = normal[:, 2] / np.maximum(np.linalg.norm(normal, axis=1), 1e-30)
    facet = int(some[np.argmin(rise)])
    return Spot(facet, spots[facet], float(away[facet]))


def within(mesh: Mesh, spot: Spot, middle: NDArray[np.float64], radius: float) -> Facets:
    """Return the facets that come as near to a point as a radius, as far as they hang together with a spot, (n,)."""
    away = np.linalg.norm(nearest_spots(mesh.vertices[mesh.faces], middle) - middle, axis=1)
    some = np.union1d(np.flatnonzero(away <= radius), [spot.facet])
    label, _ = labels_of(Mesh(mesh.vertices, mesh.faces[some]))
    return np.asarray(some[label == label[np.searchsorted(some, spot.facet)]])


def up_to_folds(mesh: Mesh, facet: int, crease: float) -> Facets:
    """Return the facets round one up to folds of ``crease`` degrees or sharper, (n,)."""
    from scipy.sparse import coo_array  # noqa: PLC0415 - loads in 0.2 s, and few jobs need it
    from scipy.sparse.csgraph import connected_components  # noqa: PLC0415

    corners = mesh.vertices[mesh.faces]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    beyond = neighbours(mesh).astype(np.int64)
    one, edge = np.nonzero(beyond >= 0)
    other = beyond[one, edge]
    cosine = np.clip(np.einsum("ij,ij->i", normal[one], normal[other]), -1.0, 1.0)
    smooth = np.degrees(np.arccos(cosine)) < crease
    count = len(mesh.faces)
    joins = coo_array((np.ones(smooth.sum(), np.int8), (one[smooth], other[smooth])), shape=(count, count))
    _, label = connected_components(joins, directed=False)
    return np.flatnonzero(label == label[facet])


def rim(corners: Corners) -> Corners:
    """Return the edges of facets (n, 3, 3) that belong to one alone, (m, 2, 3)."""
    vertices, index = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)
    return np.asarray(vertices[rim_of_faces(index.reshape(-1, 3))])


def rim_of_faces(faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the edges of faces (n, 3), as numbers of vertices, that belong to one alone, in its sense, (m, 2)."""
    edges = np.stack((faces, np.roll(faces, -1, axis=1)), axis=2).reshape(-1, 2)
    _, place, count = np.unique(np.sort(edges, axis=1), axis=0, return_inverse=True, return_counts=True)
    return np.asarray(edges[count[place.ravel()] == 1])


def cut_by_ball(
    corners: Corners, middle: NDArray[np.float64], radius: float, finest: float
) -> tuple[Corners, NDArray[np.int64], NDArray[np.bool_]]:
    """Cut facets where a ball ends, by halving those it ends in until they are fine enough.

    Parameters
    ----------
    corners : (n, 3, 3) float64
        Of the facets, mm.
    middle, radius
        Of the ball.
    finest
        Pieces whose longest edge is no longer are not halved again, mm.

    Returns
    -------
    corners (m, 3, 3), owner (m,), inside (m,)
        The pieces, the facet each came from, and whether its middle lies within the ball.
    """

    def whole(some: Corners, longest: NDArray[np.float64]) -> NDArray[np.bool_]:
        farthest = np.linalg.norm(some - middle, axis=2).max(axis=1)
        nearest_ = np.linalg.norm(nearest_spots(some, middle) - middle, axis=1)
        return np.asarray((farthest <= radius) | (nearest_ >= radius) | (longest <= finest))

    pieces, owner = halved(corners, whole)
    return pieces, owner, np.linalg.norm(pieces.mean(axis=1) - middle, axis=1) <= radius


def halved(
    corners: Corners, whole: Callable[[Corners, NDArray[np.float64]], NDArray[np.bool_]]
) -> tuple[Corners, NDArray[np.int64]]:
    """Halve facets (n, 3, 3) along their longest edge until they may stay whole.

    ``whole`` tells of facets and the lengths of their longest edges which do. Returns the pieces, and the facet each
    came from.
    """
    owner = np.arange(len(corners))
    done: list[tuple[Corners, NDArray[np.int64]]] = [(corners[:0], owner[:0])]
    while len(corners):
        long = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
        stays = whole(corners, long.max(axis=1))
        done.append((corners[stays], owner[stays]))
        corners, owner, longest = corners[~stays], owner[~stays], long[~stays].argmax(axis=1)
        each = np.arange(len(corners))
        a, b, c = (corners[each, (longest + k) % 3] for k in range(3))
        half = (a + b) / 2
        corners = np.concatenate((np.stack((a, half, c), axis=1), np.stack((half, b, c), axis=1)))
        owner = np.concatenate((owner, owner))
    return np.concatenate([some for some, _ in done]), np.concatenate([some for _, some in done])


def nearest_spots(corners: Corners, point: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the spot of each facet nearest to a point (3,), or to its own of (n, 3), (n, 3).

    Ericson, "Real-Time Collision Detection", 5.1.5.
    """
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    ab, ac, bc = b - a, c - a, c - b

    def dot(u: NDArray[np.float64], v: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(np.einsum("ij,ij->i", u, v))

    def along(start: NDArray[np.float64], edge: NDArray[np.float64]) -> NDArray[np.float64]:
        share = dot(point - start, edge) / np.maximum(dot(edge, edge), 1e-30)
        return np.asarray(start + np.clip(share, 0.0, 1.0)[:, None] * edge)

    normal = np.cross(ab, ac)
    square = dot(normal, normal)
    flat = point - normal * (dot(point - a, normal) / np.maximum(square, 1e-30))[:, None]
    inner = square > 1e-30
    for start, edge in ((a, ab), (b, bc), (c, -ac)):
        inner &= dot(np.cross(edge, flat - start), normal) >= 0.0
    on_edges = np.stack((along(a, ab), along(b, bc), along(a, ac)))
    away = np.linalg.norm(on_edges - point, axis=2)
    best = on_edges[away.argmin(axis=0), np.arange(len(corners))]
    return np.asarray(np.where(inner[:, None], flat, best))
