"""Thickness that wavers about where the number of lines changes: short ways beyond it are no change.

Two lines that share what is left may be somewhat narrower or wider than the rule lets them be. Where a wall is rough,
each change would be an end of a line, laid twice or void; so two lines go on through what is hardly thinner or thicker.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel

HARDLY = 0.1  # mm of thickness
SHORT = 6.0  # mm along the outline
BETWEEN = 0.6  # mm, so far apart may be samples whose other sides are evened out
SAME = 1e-9


@kernel
def even(at, starts, thick, mate, high, full):  # type: ignore[no-untyped-def]
    """Take short ways out of a range of thickness, from ``high`` up to ``full``, for within it, in place.

    ``at`` holds samples along rings, which begin at ``starts``, ``mate`` the sample that each faces; the range is where
    two lines share what is left. Both sides of a wall must agree.
    """
    done = np.zeros(thick.shape[0], np.bool_)
    if not _evened(at, starts, thick, high, full, SHORT, done):
        return
    also = done.copy()
    for i in range(thick.shape[0]):
        m = mate[i]
        if m >= 0 and done[i] != done[m]:
            also[i] = also[m] = True
    for i in range(thick.shape[0]):
        if also[i] and not done[i]:
            _set(thick, i, high, full)
    _evened(at, starts, thick, high, full, BETWEEN, done)


@kernel
def _set(thick, i, high, full):  # type: ignore[no-untyped-def]
    if high - HARDLY <= thick[i] < high:
        thick[i] = high
    elif full <= thick[i] < full + HARDLY:
        thick[i] = full - SAME


@kernel
def _evened(at, starts, thick, high, full, short, done):  # type: ignore[no-untyped-def]
    """Take ways out of the range no longer than ``short`` for within it; says which, and returns whether there are."""
    found = False
    for r in range(starts.shape[0] - 1):
        a, count = starts[r], starts[r + 1] - starts[r]
        first = 0
        while first < count and not high <= thick[a + first] < full:
            first += 1
        if first == count:
            continue
        run, long, hardly = 0, 0.0, True
        for k in range(1, count + 1):
            i, h = a + (first + k) % count, a + (first + k - 1) % count
            long += np.hypot(at[i, 0] - at[h, 0], at[i, 1] - at[h, 1])
            if not high <= thick[i] < full:
                run += 1
                hardly &= high - HARDLY <= thick[i] < full + HARDLY
                continue
            if run > 0 and hardly and long <= short:
                found = True
                for m in range(k - run, k):
                    j = a + (first + m) % count
                    _set(thick, j, high, full)
                    done[j] = True
            run, long, hardly = 0, 0.0, True
    return found
