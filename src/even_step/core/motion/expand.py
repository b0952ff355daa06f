"""Paths become moves: the one place where travel, retraction and lift are laid out.

Estimate and writer both read what this makes, so they see the same moves.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_step.core.kernels import kernel
from even_step.core.motion.moves import Moves
from even_step.core.motion.speeds import MotionSettings, PathSpeeds
from even_step.core.toolpath.toolpath import Toolpath

E_STEP = 1e-5  # mm, the grain of E in G-code
SAME = 1e-6  # mm
CLEAR = 2.0  # mm, how far the nozzle is raised off the finished print
CHANGE_LIFT = 1.0  # mm, how far it is raised for a change of extruder


def moves_alike(toolpath: Toolpath, settings: MotionSettings) -> NDArray[np.int64]:
    """Return for each layer the first whose moves differ from its own by their height alone, or itself."""
    if settings.support_lift not in (0.0, settings.lift) and settings.lift > 0.0:
        return np.arange(toolpath.layers)  # what is raised would not be raised to one height
    clamped = toolpath.top + settings.most_lift > settings.highest
    return np.where(clamped, np.arange(toolpath.layers), toolpath.repeats)


def layer_moves(toolpath: Toolpath, speeds: PathSpeeds, settings: MotionSettings, layer: int, pace: float) -> Moves:
    """Return the moves of one layer, from where the layer below ended.

    Parameters
    ----------
    layer
        Number of the layer.
    pace
        Print speeds are multiplied by this, down to the least speed.

    Notes
    -----
    E is rounded to its grain with the error carried on, so that a layer's sum is exact to one grain.
    """
    how = expanding(toolpath, speeds, settings)
    kind, to, rest, path = moves_room(how, layer)
    start, count = expanded(how, layer, pace, kind, to, rest, path)
    return Moves(start, kind[:count], to[:count], rest[0, :count], rest[1, :count], rest[2, :count], path[:count])


def expanding(toolpath: Toolpath, speeds: PathSpeeds, settings: MotionSettings) -> tuple[Any, ...]:
    """Return all that moves are made from, as kernels take it: the toolpath, speeds, and how to travel."""
    laid = (
        toolpath.xy,
        toolpath.start,
        toolpath.layer,
        toolpath.retract,
        toolpath.via,
        toolpath.via_start,
        toolpath.climb,
    )
    levels = toolpath.top, toolpath.courses.clear
    fast = speeds.lift, speeds.changes, speeds.feed, speeds.acceleration, speeds.area
    limits = (
        settings.least_speed * 60.0,
        settings.filament_area,
        np.floor(settings.travel_speed * 60.0),
        settings.travel_acceleration,
        settings.retract_length,
        settings.change_retract,
        np.floor(settings.retract_speed * 60.0),
        settings.highest,
        settings.wipe,
    )
    return laid, levels, fast, tuple(float(limit) for limit in limits)


@kernel
def moves_room(how, layer):  # type: ignore[no-untyped-def]
    """Return arrays with room for the moves of a layer: kinds, ends, (E, feed, acceleration), paths."""
    (_, start, of_layer, _, _, via_start, _), _, _, limits = how
    first, last = of_layer[layer], of_layer[layer + 1]
    points = start[last] - start[first]
    room = points + 7 * (last - first) + 4 + via_start[last] - via_start[first]
    if limits[8] > 0.0:
        room += points + last - first  # each line may be run over once more
    return np.empty(room, np.uint8), np.empty((room, 3)), np.empty((3, room)), np.empty(room, np.int64)


@kernel
def expanded(how, layer, pace, kind, to, rest, path):  # type: ignore[no-untyped-def]
    """Put down the moves of a layer; returns where the nozzle is before, and how many moves there are.

    Before the very first path it is over its point already, clear of the bed.
    """
    (xy, start, of_layer, retract, via, via_start, climb), (tops, clear), fast, limits = how
    lift, changes, feed, acceleration, area = fast
    slowest, filament, travel_feed, travel_gain, pull, change_pull, pull_feed, highest, wipe = limits
    first, last = of_layer[layer], of_layer[layer + 1]
    before = np.searchsorted(of_layer, max(first - 1, 0), side="right") - 1
    at = np.zeros(3)
    point = start[first] - 1 if first > 0 else 0
    if xy.shape[0] > 0:
        at[0], at[1] = xy[point, 0], xy[point, 1]
    at[2] = tops[min(before, tops.shape[0] - 1)]
    if first == 0:
        at[2] = min(at[2] + CLEAR, highest)
    count = _expand(
        xy,
        start,
        retract,
        lift,
        changes,
        via,
        via_start,
        climb,
        first,
        last,
        tops[layer],
        clear[layer],
        tops.max(),
        at,
        first == 0,
        last == start.shape[0] - 1,
        feed,
        acceleration,
        area,
        pace,
        slowest,
        filament,
        travel_feed,
        travel_gain,
        pull,
        change_pull,
        pull_feed,
        highest,
        wipe,
        kind,
        to,
        rest,
        path,
    )
    return at, count


@kernel
def _expand(  # type: ignore[no-untyped-def]
    xy,
    start,
    retract,
    lift,
    change,
    via,
    via_start,
    climb,
    first,
    last,
    level,
    clear,
    tallest,
    at,
    is_first,
    is_last,
    feed,
    acceleration,
    area,
    pace,
    slowest,
    filament,
    travel_feed,
    travel_gain,
    pull,
    change_pull,
    pull_feed,
    highest,
    wipe,
    kind,
    to,
    rest,
    path,
):
    m = 0
    x, y, z = at[0], at[1], at[2]
    owed = 0.0
    climbs = climb.shape[0] > 0
    for p in range(first, last):
        a = start[p]
        top = level - climb[a, 0] if climbs else level
        tx, ty = xy[a, 0], xy[a, 1]
        opening = is_first and p == first  # nothing is known before the very first path
        swaps = change[p] > 0
        back = retract[p] and pull > 0.0 and not opening and not swaps
        if back:
            m = _put(kind, to, rest, path, m, 2, p, x, y, z, -pull, pull_feed, 1e9)
            if wipe > 0.0 and p > first:
                m = _wipe(kind, to, rest, path, m, p, xy, start, z, wipe, travel_feed, travel_gain)
                x, y = to[m - 1, 0], to[m - 1, 1]
        over = min(top + lift[p], highest) if lift[p] > 0.0 and not opening else top
        if clear > 0.0 and p == first:
            over = min(clear, highest)  # over all that stands
        if swaps:
            over = min(max(over, top + CHANGE_LIFT), highest)
        over = z if opening else max(over, top)
        if abs(over - z) > SAME:
            z = over
            m = _put(kind, to, rest, path, m, 4, p, x, y, z, 0.0, travel_feed, travel_gain)
        far = tx != x or ty != y
        if not opening:
            for k in range(via_start[p], via_start[p + 1]):
                m = _put(kind, to, rest, path, m, 0, p, via[k, 0], via[k, 1], z, 0.0, travel_feed, travel_gain)
        if far or opening:
            m = _put(kind, to, rest, path, m, 0, p, tx, ty, z, 0.0, travel_feed, travel_gain)
        if abs(z - top) > SAME:
            z = top
            m = _put(kind, to, rest, path, m, 4, p, tx, ty, z, 0.0, travel_feed, travel_gain)
        if back:
            m = _put(kind, to, rest, path, m, 3, p, tx, ty, z, pull, pull_feed, 1e9)
        if change[p] == 2 and change_pull > 0.0:
            m = _put(kind, to, rest, path, m, 3, p, tx, ty, z, change_pull, pull_feed, 1e9)
        x, y = tx, ty
        speed = feed[p]
        if pace < 1.0:
            speed = min(speed, max(np.floor(speed * pace), slowest))
        per_length = area[p] / filament
        for i in range(a + 1, start[p + 1]):
            nx, ny = xy[i, 0], xy[i, 1]
            if nx == x and ny == y:
                continue
            share = 0.5 * (climb[i - 1, 1] + climb[i, 1]) if climbs else 1.0
            z = level - climb[i, 0] if climbs else z
            owed += np.hypot(nx - x, ny - y) * share * per_length
            grains = np.floor(owed / E_STEP + 0.5)
            owed -= grains * E_STEP
            m = _put(kind, to, rest, path, m, 1, p, nx, ny, z, grains * E_STEP, speed, acceleration[p])
            x, y = nx, ny
        if p + 1 < change.shape[0] and change[p + 1] > 0 and change_pull > 0.0:
            m = _put(kind, to, rest, path, m, 2, p, x, y, z, -change_pull, pull_feed, 1e9)
    if is_last and last > first:
        if pull > 0.0:
            m = _put(kind, to, rest, path, m, 2, last - 1, x, y, z, -pull, pull_feed, 1e9)
        over = min(tallest + CLEAR, highest)
        if over > z:
            m = _put(kind, to, rest, path, m, 4, last - 1, x, y, over, 0.0, travel_feed, travel_gain)
    return m


@kernel
def _wipe(kind, to, rest, path, m, p, xy, start, z, wipe, feed, gain):  # type: ignore[no-untyped-def]
    """Run on over the line just laid: round a closed one again, back along an open one."""
    first, last = start[p - 1], start[p] - 1
    closed = xy[first, 0] == xy[last, 0] and xy[first, 1] == xy[last, 1]
    i = first if closed else last
    left = wipe
    while left > 1e-6:
        j = i + 1 if closed else i - 1
        if j < first or j > last:
            break
        dx, dy = xy[j, 0] - xy[i, 0], xy[j, 1] - xy[i, 1]
        step = np.hypot(dx, dy)
        share = min(1.0, left / step) if step > 0.0 else 1.0
        x = np.round((xy[i, 0] + dx * share) * 1000.0) / 1000.0
        y = np.round((xy[i, 1] + dy * share) * 1000.0) / 1000.0
        m = _put(kind, to, rest, path, m, 0, p, x, y, z, 0.0, feed, gain)
        left -= step
        i = j
    return m


@kernel
def _put(kind, to, rest, path, m, what, p, x, y, z, e, feed, gain):  # type: ignore[no-untyped-def]
    """Put down one move; returns the number of the next."""
    kind[m] = what
    path[m] = p
    to[m, 0] = x
    to[m, 1] = y
    to[m, 2] = z
    rest[0, m] = e
    rest[1, m] = feed
    rest[2, m] = gain
    return m + 1
