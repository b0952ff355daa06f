"""Where a line of changing width is parted into lines of one width each."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.slicing.laid import STANDS_OUT

WIDTH_STEP = 0.04  # mm, within one line the width may differ by no more


@kernel
def parted_by_width(xy, start, width):  # type: ignore[no-untyped-def]
    """Part lines where their width changes.

    ``width`` holds for each point the width to the next. Returns points (those at a change twice), starts, the mean
    width of each new line, hardly more than its least, and the number of the line it came from.
    """
    count = start.shape[0] - 1
    room = 2 * xy.shape[0] + 2
    points = np.empty((room, 2))
    starts = np.zeros(xy.shape[0] + 2, np.int64)
    mean = np.empty(xy.shape[0] + 1)
    origin = np.empty(xy.shape[0] + 1, np.int64)
    w = 0
    n = 0
    for p in range(count):
        i = start[p]
        last = start[p + 1] - 1
        while i < last:
            least = most = width[i]
            total = 0.0
            long = 0.0
            points[w, 0], points[w, 1] = xy[i, 0], xy[i, 1]
            w += 1
            while i < last:
                low, high = min(least, width[i]), max(most, width[i])
                if high - low > WIDTH_STEP:
                    break
                least, most = low, high
                step = np.hypot(xy[i + 1, 0] - xy[i, 0], xy[i + 1, 1] - xy[i, 1])
                total += step * width[i]
                long += step
                i += 1
                points[w, 0], points[w, 1] = xy[i, 0], xy[i, 1]
                w += 1
            mean[n] = least if least == most or long == 0.0 else min(total / long, least + STANDS_OUT)
            origin[n] = p
            n += 1
            starts[n] = w
    return points[:w].copy(), starts[: n + 1].copy(), mean[:n].copy(), origin[:n].copy()
