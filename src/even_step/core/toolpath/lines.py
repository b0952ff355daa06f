"""A toolpath as the rows that a view draws: one record a point, whole, and a coarser one for a moving view."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.toolpath.courses import Index
from even_step.core.toolpath.toolpath import Toolpath

TRAVEL_WIDTH = 0.12  # mm, as a travel is drawn
STRAY = 0.4  # mm, how far a coarse line may leave the true one


@dataclass(frozen=True, eq=False)
class Lines:
    """Points to draw.

    Attributes
    ----------
    points : (N, 6) float32
        x, y, z of the line's top, width, height, role. A segment leads from each point to the next. From the
        last point of a path a travel leads on, told by a width below 0; with width 0 nothing does.
    layer : (L + 1,) int64
        Where each layer's points begin.
    path : (N,) int32
        The path each point belongs to.
    """

    points: NDArray[np.float32]
    layer: Index
    path: NDArray[np.int32]


def lines_of(toolpath: Toolpath) -> Lines:
    """Return every point of a toolpath."""
    each, passed = np.diff(toolpath.start), np.diff(toolpath.via_start)
    start = toolpath.start + toolpath.via_start  # points passed on the way to a path stand before it
    is_via = np.zeros(len(toolpath.xy) + len(toolpath.via), bool)
    is_via[np.repeat(start[:-1] - toolpath.via_start[:-1], passed) + np.arange(len(toolpath.via))] = True
    points = np.empty((len(is_via), 6), np.float32)
    points[~is_via, :2], points[is_via, :2] = toolpath.xy, toolpath.via
    top = toolpath.top[toolpath.layer_of_path()]
    looks = np.column_stack((top, toolpath.width, toolpath.height, toolpath.role)).astype(np.float32)
    points[:, 2:] = np.repeat(looks, each + passed, axis=0)
    if len(toolpath.climb):
        points[~is_via, 2] -= toolpath.climb[:, 0].astype(np.float32)
        points[~is_via, 4] *= toolpath.climb[:, 1].astype(np.float32)
    points[is_via, 3] = points[start[1:] - 1, 3] = -TRAVEL_WIDTH
    points[-1:, 3] = 0.0
    path = np.repeat(np.arange(len(each), dtype=np.int32), each + passed)
    return Lines(points, start[toolpath.layer], path)


def parted(lines: Lines, *families: tuple[int, ...]) -> list[Lines]:
    """Return the lines of each family of roles, then those of all other roles."""
    role = lines.points[:, 5].astype(np.int64)
    of = [np.isin(role, family) for family in families]
    out = []
    for kept in (*of, ~np.logical_or.reduce(of)):
        number = np.concatenate(([0], np.cumsum(kept)))
        points = lines.points[kept]
        points[:, 3] = np.maximum(points[:, 3], 0.0)  # the ways between them lead elsewhere
        out.append(Lines(points, number[lines.layer], lines.path[kept]))
    return out


def coarse_lines(lines: Lines, stray: float = STRAY) -> Lines:
    """Leave out points that hardly bend a line.

    Parameters
    ----------
    lines
        Any.
    stray
        How far a point that is left out may lie off the line that stays, mm.

    Notes
    -----
    One pass with the cone of directions of Sklansky and Gonzalez, "Fast polygonal approximation of digitized
    curves", 1980; paths keep their ends.
    """
    kept = _kept(lines.points, stray)
    number = np.concatenate(([0], np.cumsum(kept)))
    return Lines(lines.points[kept], number[lines.layer], lines.path[kept])


@kernel
def _kept(points, stray):  # type: ignore[no-untyped-def]
    """Keep the last point before the one that leaves the cone of all since the last kept one."""
    count = points.shape[0]
    kept = np.ones(count, np.bool_)
    first = 0
    axis = 0.0
    least = -np.inf
    most = np.inf
    for k in range(1, count):
        begins = points[k - 1, 3] <= 0.0
        dx = points[k, 0] - points[first, 0]
        dy = points[k, 1] - points[first, 1]
        far = np.sqrt(dx * dx + dy * dy)
        inside = False
        if not begins and far > 0.0:
            turn = np.arctan2(dy, dx) - axis if k > first + 1 else 0.0
            turn -= 2.0 * np.pi * np.floor(turn / (2.0 * np.pi) + 0.5)
            inside = k > first + 1 and least <= turn <= most
        if inside:
            kept[k - 1] = False
        else:
            first = k if begins else k - 1
            dx = points[k, 0] - points[first, 0]
            dy = points[k, 1] - points[first, 1]
            far = np.sqrt(dx * dx + dy * dy)
            axis = np.arctan2(dy, dx)
            turn = 0.0
            least = -np.inf
            most = np.inf
        if far > 0.0:
            spread = np.arcsin(min(1.0, stray / far)) if far > stray else np.pi
            least = max(least, turn - spread)
            most = min(most, turn + spread)
    return kept
