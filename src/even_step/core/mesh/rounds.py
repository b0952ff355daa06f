"""Round upright holes and bosses of a mesh: rings of upright facets whose corners lie on a circle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.mesh.faces import neighbours
from even_step.core.mesh.mesh import Mesh

UPRIGHT = 0.01  # how much of a facet's normal may point up or down
BEND = 46.0  # degrees between facets next to each other: a circle has eight sides or more
OFF = 0.02  # mm that a corner may lie off the circle,
FLAT = 0.25  # and the middle of a side: more is a polygon that is meant as one
SMALLEST = 0.8  # mm across
SQUARE = 0.1  # how much longer one side of its box may be
SLACK = 1e-3  # mm


@dataclass(frozen=True, eq=False)
class Rounds:
    """Round upright holes and bosses, by where they are.

    Attributes
    ----------
    middle : (n, 2) float64
        mm.
    across : (n,) float64
        Diameters as drawn, mm.
    low, high : (n,) float64
        From where to where, mm.
    hole : (n,) bool
        Whether it is a hole; else a boss.
    """

    middle: NDArray[np.float64]
    across: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    hole: NDArray[np.bool_]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.across)


def no_rounds() -> Rounds:
    """Return none."""
    return Rounds(np.empty((0, 2)), np.empty(0), np.empty(0), np.empty(0), np.empty(0, np.bool_))


def rounds_of(mesh: Mesh) -> Rounds:
    """Find the round upright holes and bosses of a mesh.

    A circle is fitted to the corners by least squares (Kåsa, "A circle fitting procedure and its error analysis",
    1976).
    """
    corners = mesh.vertices[mesh.faces].astype(np.float64)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    long = np.linalg.norm(normal, axis=1)
    normal /= np.maximum(long, 1e-30)[:, None]
    upright = np.flatnonzero((np.abs(normal[:, 2]) < UPRIGHT) & (long > 0.0))
    found = [_round(corners[some], normal[some]) for some in _rings(mesh, normal, upright)]
    kept = sorted(one for one in found if one is not None)
    if not kept:
        return no_rounds()
    x, y, across, low, high, hole = (np.array(column) for column in zip(*kept, strict=True))
    return Rounds(np.stack((x, y), axis=1), across, low, high, hole)


def _rings(mesh: Mesh, normal: NDArray[np.float64], upright: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Return the facets of each run of upright facets that bends gently and is about as long as it is wide."""
    from scipy.sparse import coo_array  # noqa: PLC0415 - loads in 0.2 s, and few jobs need it
    from scipy.sparse.csgraph import connected_components  # noqa: PLC0415

    place = np.full(len(mesh.faces), -1, np.int64)
    place[upright] = np.arange(len(upright))
    beyond = neighbours(mesh)[upright].astype(np.int64)
    one, edge = np.nonzero((beyond >= 0) & (place[beyond] >= 0))
    other = place[beyond[one, edge]]
    gentle = np.einsum("ij,ij->i", normal[upright[one]], normal[upright[other]]) > np.cos(np.radians(BEND))
    joins = coo_array((np.ones(gentle.sum(), np.int8), (one[gentle], other[gentle])), shape=(len(upright),) * 2)
    count, label = connected_components(joins, directed=False)
    xy = mesh.vertices[mesh.faces[upright], :2].astype(np.float64)
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, label, xy.min(axis=1))
    np.maximum.at(high, label, xy.max(axis=1))
    size = high - low
    wanted = (np.ptp(size, axis=1) <= SQUARE * size.max(axis=1)) & (size.max(axis=1) > SMALLEST * (1 - SQUARE))
    order = np.argsort(label, kind="stable")
    starts = np.searchsorted(label[order], np.arange(count + 1))
    return [upright[order[starts[k] : starts[k + 1]]] for k in np.flatnonzero(wanted)]


def _round(
    corners: NDArray[np.float64], normal: NDArray[np.float64]
) -> tuple[float, float, float, float, float, bool] | None:
    """Return middle, diameter, low, high and whether it is a hole, if facets (n, 3, 3) stand round on a circle."""
    points = np.unique(np.round(corners[..., :2].reshape(-1, 2), 6), axis=0)
    if len(points) < 8:
        return None
    base = points.mean(axis=0)
    system = np.column_stack((points - base, np.full(len(points), 0.5)))
    solved, *_ = np.linalg.lstsq(system, ((points - base) ** 2).sum(axis=1) / 2, rcond=None)
    middle, radius = base + solved[:2], float(np.sqrt(max(solved[2] + solved[:2] @ solved[:2], 0.0)))
    away = points - middle
    turn = np.sort(np.arctan2(away[:, 1], away[:, 0]))
    widest = float(np.diff(turn, append=turn[0] + 2 * np.pi).max())
    inward = np.einsum("ij,ij->i", normal[:, :2], middle - corners[..., :2].mean(axis=1)) > 0.0
    is_round = (
        2 * radius >= SMALLEST - SLACK
        and np.abs(np.hypot(*away.T) - radius).max() <= OFF
        and widest <= np.radians(BEND)
        and radius * (1 - np.cos(widest / 2)) <= FLAT
        and (inward.all() or not inward.any())
    )
    if not is_round:
        return None
    z = corners[..., 2]
    return float(middle[0]), float(middle[1]), 2 * radius, float(z.min()), float(z.max()), bool(inward[0])
