"""Edges put together to lines."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

ALIKE = 6  # decimals to which two ends are one


def chained(edges: NDArray[np.float64]) -> list[NDArray[np.float64]]:
    """Put edges, (n, 2, 3), together to lines, (k, 3) each, as long as they go on; each edge is in one of them.

    Where more than two meet, a line goes on along any; lines begin at open ends, if there are any.
    """
    ends = [[tuple(end) for end in edge] for edge in np.round(edges, ALIKE).tolist()]
    meet: dict[tuple[float, ...], list[int]] = {}
    for number, edge in enumerate(ends):
        for end in edge:
            meet.setdefault(end, []).append(number)
    left = set(range(len(ends)))
    begins = [end for end, some in meet.items() if len(some) == 1]
    out = []
    for begin in (*begins, *(edge[0] for edge in ends)):
        at, line = begin, [begin]
        while after := [number for number in meet[at] if number in left]:
            left.remove(after[0])
            one, other = ends[after[0]]
            at = other if one == at else one
            line.append(at)
        if len(line) > 1:
            out.append(np.array(line, np.float64))
    return out
