"""Short pieces of a line drawn as one with what they run on to: for a view that moves."""

from __future__ import annotations

import numpy as np

from even_step.core.toolpath.lines import Lines

SHORT = 2.0  # mm; of longer pieces each keeps the look that is its own


def run_on(lines: Lines) -> Lines:
    """Let a path that ends where the next one of its role begins run on into it, where one of the two is short.

    A wall that is laid by stretches, each as fast as what holds it allows, is one line again.

    Parameters
    ----------
    lines
        As ``lines_of`` gives them.
    """
    points, path = lines.points, lines.path
    count = int(path[-1]) + 1 if len(path) else 0
    ends = np.flatnonzero((points[:-1, 3] <= 0.0) & (path[:-1] != path[1:]))
    if len(ends) == 0:
        return lines
    goes_on = (points[ends][:, (0, 1, 2, 5)] == points[ends + 1][:, (0, 1, 2, 5)]).all(axis=1)
    ends = ends[goes_on & (points[ends + 1, 3] > 0.0)]
    laid = np.flatnonzero((points[:-1, 3] > 0.0) & (path[:-1] == path[1:]))
    steps = np.hypot(*(points[laid + 1, :2] - points[laid, :2]).T)
    long = np.bincount(path[laid], steps, count)
    ends = ends[np.minimum(long[path[ends]], long[path[ends + 1]]) < SHORT]
    kept = np.ones(len(points), np.bool_)
    kept[ends] = False
    number = np.concatenate(([0], np.cumsum(kept)))
    return Lines(points[kept], number[lines.layer], path[kept])
