"""The text of a layer: its moves, formatted by kernels."""

from __future__ import annotations

import numpy as np

from even_step.core.kernels import kernel
from even_step.core.motion.expand import expanded, moves_room
from even_step.core.toolpath.roles import ROLES

LONGEST_MOVE = 96  # bytes of one move's lines at the most
LONGEST_SAID = 64  # bytes of what stands before a path at the most, but for its words
ROLE_COUNT = len(ROLES)
HEIGHT, FAN = (np.frombuffer(text, np.uint8) for text in (b" height=", b"M106 S"))


@kernel
def layer_text(how, looks, nozzles, words, layer, pace, anew, before):  # type: ignore[no-untyped-def]
    """Write a layer, in one kernel: each return to the interpreter would wait for what the other threads do in it.

    ``how`` is from ``expanding``; ``looks`` are role, width, height, part and fan of all paths; ``nozzles`` where each
    sits, mm, and which lays each path; ``words`` texts, where they begin, and bytes of the longest. From the paths
    ``anew`` on all is said again, for something is said before them; ``before`` is how fast the fan turns before the
    layer. Returns the text, where each height stands in it (n, 2), where what is said before each of ``anew``
    belongs, where the nozzle is first, and the feed of the first move.
    """
    kind, to, rest, path = moves_room(how, layer)
    start, count = expanded(how, layer, pace, kind, to, rest, path)
    offsets, extruder = nozzles
    if offsets.shape[0] > 0 and count > 0:  # the head goes elsewhere for the line to come to its place
        start[:2] -= offsets[extruder[max(path[0] - 1, 0)]]
        for i in range(count):
            to[i, :2] -= offsets[extruder[path[i]]]
    text, word_start, longest = words
    of_layer = how[0][2]
    paths = of_layer[layer + 1] - of_layer[layer]
    buffer = np.empty((count + 1) * LONGEST_MOVE + paths * (2 * longest + LONGEST_SAID), np.uint8)
    heights, cuts = np.empty((count, 2), np.int64), np.empty(anew.shape[0], np.int64)
    fans, moves = looks[4], (kind[:count], to, rest, path)
    is_first = count > 0 and path[0] == 0
    w, high, a, at = 0, 0, 0, start
    for k in range(anew.shape[0] + 1):
        z = np.searchsorted(path[:count], anew[k]) if k < anew.shape[0] else count
        w, high = _format(at, moves, a, z, looks, text, word_start, before, is_first, buffer, w, heights, high)
        if k < anew.shape[0]:
            cuts[k] = w
            before = fans[anew[k] - 1] if anew[k] > 0 else 0
            at = to[z - 1] if z > 0 else start
            is_first, a = is_first and z == 0, z
    return buffer[:w], heights[:high], cuts, start, rest[1, 0] if count > 0 else 0.0


@kernel
def _format(  # type: ignore[no-untyped-def]
    start, moves, first, last, looks, words, word_start, before, is_first, buffer, w, heights, high
):
    """Write some moves in a row as G0 and G1, with only the words that change, behind what is written.

    Returns how much is written and how many heights there are then; where each stands is put down.
    """
    kind, to, rest, path = moves
    role, width, height, part, fans = looks
    told = np.full(5, -1)  # each layer says everything anew, but for the fan
    told[4] = before
    look = np.empty(5, np.int64)
    x = np.int64(np.round(start[0] * 1000.0))
    y = np.int64(np.round(start[1] * 1000.0))
    z = np.int64(np.round(start[2] * 1000.0))
    all_axes = is_first
    told_feed = -1.0
    told_gain = -1.0
    told_path = np.int64(-1)
    for i in range(first, last):
        if kind[i] == 1 and path[i] != told_path:
            told_path = path[i]
            look[0], look[3] = role[told_path], part[told_path]
            look[1], look[2] = np.round(width[told_path] * 1000.0), np.round(height[told_path] * 1000.0)
            look[4] = fans[told_path]
            if (look != told).any():
                w = _say(buffer, w, look, told, words, word_start)
            if rest[2, i] != told_gain:
                told_gain = rest[2, i]
                buffer[w], buffer[w + 1], buffer[w + 2], buffer[w + 3] = 77, 50, 48, 52
                w = _word(buffer, w + 4, 80, np.int64(told_gain), 0)
                buffer[w] = 10
                w += 1
        buffer[w] = 71
        buffer[w + 1] = 48 if kind[i] == 0 or kind[i] == 4 else 49
        w += 2
        nx = np.int64(np.round(to[i, 0] * 1000.0))
        ny = np.int64(np.round(to[i, 1] * 1000.0))
        nz = np.int64(np.round(to[i, 2] * 1000.0))
        if nx != x or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 88, nx, 3)
        if ny != y or (all_axes and kind[i] == 0):
            w = _word(buffer, w, 89, ny, 3)
        if nz != z or (all_axes and kind[i] == 0):
            heights[high, 0] = w
            w = _word(buffer, w, 90, nz, 3)
            heights[high, 1] = w
            high += 1
            all_axes = False
        x, y, z = nx, ny, nz
        if rest[0, i] != 0.0:
            w = _word(buffer, w, 69, np.int64(np.round(rest[0, i] * 100000.0)), 5)
        if rest[1, i] != told_feed:
            told_feed = rest[1, i]
            w = _word(buffer, w, 70, np.int64(told_feed), 0)
        buffer[w] = 10
        w += 1
    return w, high


@kernel
def _digits(buffer, w, value, decimals):  # type: ignore[no-untyped-def]
    """Write a whole number with a point before its last decimals; returns the place after it."""
    if value < 0:
        buffer[w] = 45
        w += 1
        value = -value
    left = np.uint64(value)
    ten = np.uint64(10)
    size = 1
    probe = ten
    while left >= probe:
        size += 1
        probe *= ten
    size = max(size, decimals + 1)
    total = size + (1 if decimals > 0 else 0)
    at = w + total - 1
    for i in range(size):
        if decimals > 0 and i == decimals:
            buffer[at] = 46
            at -= 1
        rest = left // ten
        buffer[at] = np.uint8(48 + np.int64(left - rest * ten))
        left = rest
        at -= 1
    return w + total


@kernel
def _word(buffer, w, letter, value, decimals):  # type: ignore[no-untyped-def]
    buffer[w] = 32
    buffer[w + 1] = letter
    return _digits(buffer, w + 2, value, decimals)


@kernel
def _size(buffer, w, micrometres):  # type: ignore[no-untyped-def]
    """Write mm with two decimals, or three where it has them."""
    if micrometres % 10 == 0:
        return _digits(buffer, w, micrometres // 10, 2)
    return _digits(buffer, w, micrometres, 3)


@kernel
def _put(buffer, w, text, first, last):  # type: ignore[no-untyped-def]
    for b in range(first, last):
        buffer[w] = text[b]
        w += 1
    return w


@kernel
def _say(buffer, w, look, told, words, word_start):  # type: ignore[no-untyped-def]
    """Say role, width and height of a path, its part and the fan where these change."""
    if look[3] != told[3] and look[3] >= 0:
        part = ROLE_COUNT + look[3]
        w = _put(buffer, w, words, word_start[part], word_start[part + 1])
    w = _put(buffer, w, words, word_start[look[0]], word_start[look[0] + 1])
    w = _size(buffer, w, look[1])
    w = _put(buffer, w, HEIGHT, 0, HEIGHT.shape[0])
    w = _size(buffer, w, look[2])
    buffer[w] = 10
    w += 1
    if look[4] != told[4]:
        w = _put(buffer, w, FAN, 0, FAN.shape[0])
        w = _digits(buffer, w, look[4], 0)
        buffer[w] = 10
        w += 1
    told[:] = look
    return w
