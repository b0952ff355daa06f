"""The middle lines of narrow places that are hardly more than a spot between doors: straight from door to door.

Between two doors no side faces another one. Where three or more meet, the two that lie straightest across are joined
through the middle of the largest circle there, and the lines from the others end short of that line, which is as wide
as the circle. A circle too large for one line, with all doors at its rim, is filled by two short ones.
"""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.plane.axis_ends import BACK as SHORT_OF
from even_step.core.plane.axis_ends import STUB, WITHIN
from even_step.core.plane.segments import first_met, nearest_edge
from even_step.core.slicing.middles import GAP, LEAST_LONG, finish, refined, set_back, upper

MOST_ARMS = 8
CLIMBS = 12  # times a step toward the middle of the largest circle is halved
AS_LARGE = 0.9  # of the smaller circle at two doors: so large is that between them
WAYS = 16  # directions in which the wall is looked for
FAR = 3.0  # radii of the circle in the middle: a door farther away has an arm of its own


@kernel
def star(seq, pos, balls, doors, net, deep, widest, one, lines, starts, n, free):  # type: ignore[no-untyped-def]
    """Write the middle lines of a spot between doors, as ``middle`` does, from line ``n`` on.

    ``one`` is as thick as one line may be. Returns how many lines there are then, −1 where the place is no such spot.
    """
    mate = balls[2]
    arm, door = np.empty((MOST_ARMS, 2)), np.empty(MOST_ARMS, np.int64)
    count = 0
    faced = False
    for i in seq:
        if i >= 0:
            faced |= mate[i] >= 0 and pos[mate[i]] >= 0
        elif count == MOST_ARMS:
            return -1
        else:
            arm[count], door[count] = doors[-1 - i, 6:8], i
            count += 1
    if count < 2:
        return -1
    arm, door = arm[:count], door[:count]
    back = np.zeros(count)
    for k in range(count):
        back[k] = set_back(0.5 * widest - deep, one) if upper(doors, door[k]) else 0.0
    if count == 2:
        if faced or not _is_passage(arm, net, 0.5 * widest):
            return -1
        return _line(arm, back[0], back[1], net, deep, widest, lines, starts, n, free)
    x, y, radius = _largest(arm, net, widest)
    far = 0.0
    for k in range(count):
        far = max(far, np.hypot(arm[k, 0] - x, arm[k, 1] - y))
    if far > (WITHIN if faced else FAR) * radius:
        return -1
    if 2.0 * (radius - deep) > one and far < WITHIN * (radius - deep):
        return _stub(x, y, radius, net, deep, lines, starts, n, free)
    a, b = _straightest(arm, x, y)
    short = SHORT_OF * max(radius - deep, 0.0)
    away = np.hypot(arm[:, 0] - x, arm[:, 1] - y)
    if away[b] > away[a]:
        a, b = b, a
    # One end hardly beyond the circle lies under the line's own round end.
    size = 2 if away[b] < short < away[a] else 3
    through = np.array(((arm[a, 0], arm[a, 1]), (x, y), (arm[b, 0], arm[b, 1])))
    n = _line(through[:size], back[a], back[b] if size == 3 else 0.0, net, deep, widest, lines, starts, n, free)
    for k in range(count):
        if k not in (a, b) and away[k] > short + LEAST_LONG:
            way = np.array(((arm[k, 0], arm[k, 1]), (x, y)))
            n = _line(way, back[k], short, net, deep, widest, lines, starts, n, free)
    return n


@kernel
def _room(net, x, y, reach):  # type: ignore[no-untyped-def]
    frame, first, item = net[3]
    return nearest_edge(net[0], frame, first, item, x, y, reach)


@kernel
def _is_passage(arm, net, reach):  # type: ignore[no-untyped-def]
    """Tell whether two doors are near each other and see each other."""
    if np.hypot(arm[0, 0] - arm[1, 0], arm[0, 1] - arm[1, 1]) > GAP + 2.0 * reach:
        return False
    least = min(_room(net, arm[0, 0], arm[0, 1], reach), _room(net, arm[1, 0], arm[1, 1], reach))
    middle = _room(net, 0.5 * (arm[0, 0] + arm[1, 0]), 0.5 * (arm[0, 1] + arm[1, 1]), reach)
    return middle >= AS_LARGE * least


@kernel
def _largest(arm, net, reach):  # type: ignore[no-untyped-def]
    """Return the middle and the radius of the largest circle about where the doors are."""
    x, y = arm[:, 0].mean(), arm[:, 1].mean()
    radius = _room(net, x, y, reach)
    step = 0.5 * radius
    for _ in range(CLIMBS):
        moved = True
        while moved:
            moved = False
            for dx, dy in ((step, 0.0), (-step, 0.0), (0.0, step), (0.0, -step)):
                far = _room(net, x + dx, y + dy, reach)
                if far > radius:
                    x, y, radius = x + dx, y + dy, far
                    moved = True
        step *= 0.5
    return x, y, radius


@kernel
def _stub(x, y, radius, net, deep, lines, starts, n, free):  # type: ignore[no-untyped-def]
    """Write a line hardly longer than a point, toward the nearest wall: the two that it stands for fill the circle."""
    frame, first, item = net[3]
    best, ux, uy = np.inf, 1.0, 0.0
    for k in range(WAYS):
        angle = np.pi * k / WAYS
        dx, dy = np.cos(angle), np.sin(angle)
        ahead = 0.0
        for sign in (-1.0, 1.0):
            ahead += first_met(net[0], frame, first, item, x, y, sign * dx, sign * dy, 3.0 * radius)[0]
        if ahead < best - 1e-9:
            best, ux, uy = ahead, dx, dy
    w = starts[n]
    for side in range(2):
        by = (side - 0.5) * STUB
        lines[w + side, 0], lines[w + side, 1], lines[w + side, 2] = x + by * ux, y + by * uy, radius - deep
        lines[w + side, 3] = -1.0
    starts[n + 1] = w + 2
    free[n] = True
    return n + 1


@kernel
def _straightest(arm, x, y):  # type: ignore[no-untyped-def]
    """Return which two doors lie most nearly on either side of a point."""
    best, first, last = np.inf, 0, 1
    for a in range(arm.shape[0]):
        for b in range(a + 1, arm.shape[0]):
            ax, ay, bx, by = arm[a, 0] - x, arm[a, 1] - y, arm[b, 0] - x, arm[b, 1] - y
            size = np.hypot(ax, ay) * np.hypot(bx, by)
            turn = (ax * bx + ay * by) / size if size > 0.0 else 1.0
            if turn < best - 1e-9:
                best, first, last = turn, a, b
    return first, last


@kernel
def _line(path, begin, end, net, deep, widest, lines, starts, n, free):  # type: ignore[no-untyped-def]
    """Write a line, so much shorter at its ends, unless nothing is left of it; returns how many there are."""
    w = last = starts[n]
    size = path.shape[0]
    along = np.zeros(size)
    for k in range(1, size):
        along[k] = along[k - 1] + np.hypot(path[k, 0] - path[k - 1, 0], path[k, 1] - path[k - 1, 1])
    a, b = begin, along[size - 1] - end
    if b - a < LEAST_LONG:
        return n
    for k in range(size):
        if k > 0 and along[k - 1] <= a < along[k]:
            last = _point(path, along, k, a, lines, last)
        if a < along[k] < b:
            last = _point(path, along, k, along[k], lines, last)
        if k > 0 and along[k - 1] < b <= along[k]:
            last = _point(path, along, k, b, lines, last)
    finish(lines, w, last, net, deep, 0.5 * widest)
    starts[n + 1] = refined(lines, w, last, net, deep)
    free[n] = False
    return n + 1


@kernel
def _point(path, along, k, at, lines, w):  # type: ignore[no-untyped-def]
    """Write the point so far along a path, which lies before its point ``k``; returns where the next goes."""
    share = (at - along[k - 1]) / (along[k] - along[k - 1]) if k > 0 else 0.0
    for m in range(2):
        lines[w, m] = path[k - 1, m] + share * (path[k, m] - path[k - 1, m]) if k > 0 else path[0, m]
    lines[w, 2], lines[w, 3] = -1.0, -1.0
    return w + 1
