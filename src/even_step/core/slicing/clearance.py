"""Parts laid one by one: in which order, so that the head strikes nothing that stands; and what it strikes then."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_step.core.job.model import Head
from even_step.core.plane import region
from even_step.core.plane.ragged import Index, Points


def struck(hulls: list[Points], tall: NDArray[np.float64], head: Head) -> NDArray[np.bool_]:
    """Tell which part the head strikes while it lays which other.

    Parameters
    ----------
    hulls
        The corners of the convex hull of each part and its foot seen from above, bed frame, mm.
    tall : (P,) float64
        Their heights, mm.
    head
        The machine's: a box about the nozzle, and a bar above it that reaches over the whole bed.

    Returns
    -------
    (P, P) bool
        Row ``i``, column ``j``: part ``i`` stands and is struck while ``j`` is laid.
    """
    count = len(hulls)
    corners = np.array([(x, y) for x in (-head.left, head.right) for y in (-head.front, head.back)])
    swept = [(hull[:, None] + corners).reshape(-1, 2) for hull in hulls]
    standing, passed = region.hulls(hulls), region.hulls(swept)
    out = np.zeros((count, count), np.bool_)
    for i in range(count):
        out[i] = region.touches(np.repeat(standing[i : i + 1], count), passed) | (tall[i] > head.bar)
        out[i, i] = False
    return out


def safe_sequence(strikes: NDArray[np.bool_], tall: NDArray[np.float64], way: Index) -> Index:
    """Return an order of parts in which as few as possible are struck: the lower first, then along a short way.

    Parameters
    ----------
    strikes : (P, P) bool
        Row ``i``, column ``j``: part ``i`` stands and is struck while ``j`` is laid.
    tall : (P,) float64
        Their heights, mm.
    way : (P,) int64
        A short way past all of them.
    """
    rank = np.lexsort((np.argsort(way), np.round(tall, 3)))
    left, sequence = [int(part) for part in rank], []
    while left:
        # Whatever would strike a part once that stands must come before it.
        free = [i for i in left if not any(strikes[i, j] for j in left if j != i)]
        chosen = free[0] if free else min(left, key=lambda i: int(strikes[i, left].sum()))
        sequence.append(chosen)
        left.remove(chosen)
    return np.array(sequence, np.int64)
